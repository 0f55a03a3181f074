"""The review page: one HTML file without network, for a colleague's browser."""

from neat_delta.views.page.page import review_page_of

__all__ = ["review_page_of"]
