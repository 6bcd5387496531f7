"""A scan while it is taken: thinned evenly, compared with the part, and what whoever leads the scanner is to mind."""
