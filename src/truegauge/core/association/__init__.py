"""Association: computing the ideal feature for extracted points."""
