"""What a window works on, without a widget: tests drive it."""
