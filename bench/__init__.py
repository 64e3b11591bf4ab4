"""Speed, as ratios measured within one run: `python -m bench`."""
