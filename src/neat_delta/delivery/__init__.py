"""Delivery: update files to a place, their result lists back, and the history of it all."""
