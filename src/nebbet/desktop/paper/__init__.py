"""Text documents and their editors: from body to document and back, places, parts, marks."""
