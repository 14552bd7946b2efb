"""Controllers: ports, the maps that say which note strikes which pad, and the reading process."""
