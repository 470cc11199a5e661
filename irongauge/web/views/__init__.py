"""View models: everything that a page shows, worked out before its template sees it."""
