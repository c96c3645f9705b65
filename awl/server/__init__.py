"""The web server: OGC APIs over the studies of a folder, jobs, tiles, and the built front end."""
