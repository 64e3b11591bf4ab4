"""Pages of pictures: sheets of passes, contact sheets, and boards."""
