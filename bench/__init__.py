"""Speed and quality, as ratios against public baselines run in the same process."""
