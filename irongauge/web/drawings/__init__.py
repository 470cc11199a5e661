"""Pictures as data: geometry worked out in Python, drawn as SVG by a template."""
