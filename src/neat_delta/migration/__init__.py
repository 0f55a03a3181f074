"""Files of earlier formats brought to today's: change sets, settings, run files, histories."""

from neat_delta.migration.migrate import KEPT_SUFFIX, Migrated, migrated, replace_old, save_new

__all__ = ["KEPT_SUFFIX", "Migrated", "migrated", "replace_old", "save_new"]
