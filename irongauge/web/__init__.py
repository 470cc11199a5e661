"""Pages and JSON API: read input, call one workflow, show the result."""
