"""The practice shop: a stand-in store on one's own disk, with the ways of real ones, to try everything on."""

from neat_delta.practice_shop.shop import PracticeShop, open_shop

__all__ = ["PracticeShop", "open_shop"]
