"""Files of the made-up shop that "neat-delta demo" lays out."""
