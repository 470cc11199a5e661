"""The Bench: one circuit, tested step by step."""
