"""The calculations, pure NumPy/SciPy, one module per section of the trade's arithmetic."""
