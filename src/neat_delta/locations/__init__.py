"""Where tables are: what a person means by a text, and which files a pattern, a folder or "the newest" stands for."""

from neat_delta.locations.location import FileSet, Location, Place, parse_location, parse_place, place_beside, single

__all__ = ["FileSet", "Location", "Place", "parse_location", "parse_place", "place_beside", "single"]
