"""Speed, as ratios against a floor measured in the same run. ``make bench`` prints the table."""
