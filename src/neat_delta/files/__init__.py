"""Files of this machine: their content, writing them whole, output paths, memory, workers."""
