"""Files at addresses: fetched whole and put whole over HTTP, FTP and SFTP, with secrets that are never shown."""

from neat_delta.remote.address import Address, Location, parse_location

__all__ = ["Address", "Location", "parse_location"]
