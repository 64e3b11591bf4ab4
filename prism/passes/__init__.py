"""What the passes are: catalogue, roles, recognition by name."""
