"""The page on which a person looks at a change set and decides: one HTML file that needs no network."""

from neat_delta.views.page.page import review_page_of
from neat_delta.views.page.page_data import PageName

__all__ = ["PageName", "review_page_of"]
