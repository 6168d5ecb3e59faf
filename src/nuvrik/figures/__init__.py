"""Figures. Matplotlib is imported here and nowhere else, and only when a figure is wanted."""
