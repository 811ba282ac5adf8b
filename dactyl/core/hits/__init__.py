"""Audio -> hits: where drums are struck in a recording."""
