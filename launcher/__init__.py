"""Puts the application on its feet: packages, private database and queue, web server. Standard library only."""
