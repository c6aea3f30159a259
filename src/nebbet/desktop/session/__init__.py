"""What all places share: the library as it is, open letters, sending, what changed."""
