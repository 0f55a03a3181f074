"""Numbers about a change set for checks and views: before and after, margins, stock, groups."""
