"""Tests of the application: services, permissions, pages, and the flow through a real browser."""
