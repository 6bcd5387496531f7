"""Pictures of parts, points and maps: VTK off screen, no Qt."""
