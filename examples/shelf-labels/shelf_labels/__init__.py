"""What a made-up shop needs for the labels on its shelves: plug-ins for neat-delta."""
