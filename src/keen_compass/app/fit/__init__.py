"""A cut file from elsewhere on a print from elsewhere."""
