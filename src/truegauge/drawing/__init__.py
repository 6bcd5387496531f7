"""What the window and the reports draw alike, once, on a surface that painter, PDF and SVG implement."""
