"""Journeys through the built interface in a browser."""
