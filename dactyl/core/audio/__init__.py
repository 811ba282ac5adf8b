"""What a sound is (measure), looks like (overview), and becomes before it plays (prepare)."""
