"""Text on pictures, in the typefaces that the application ships."""
