"""The Silhouette stage: a live picture, dimensions put on it by dragging, and series of parts."""
