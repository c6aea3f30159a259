"""Building and reading messages, and links that open one; import the module that is needed."""
