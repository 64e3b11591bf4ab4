"""Deep pixels: any number of samples in each, with the depths that they cover."""
