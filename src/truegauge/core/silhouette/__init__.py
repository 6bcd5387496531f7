"""Parts measured in their shadow: the lens, edges to a small part of a pixel, what is fitted to them."""
