"""Delivery: update files to a place, their result lists back, and the journal of it all."""
