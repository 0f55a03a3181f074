"""Files at addresses: fetched whole and put whole over HTTP, FTP and SFTP, with secrets that are never shown."""

from neat_delta.remote.address import Address, parse_address

__all__ = ["Address", "parse_address"]
