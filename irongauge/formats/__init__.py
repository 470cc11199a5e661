"""Files in and out. Each format is one module with a reader, a writer or both; nothing in `core` knows them."""
