"""A telecentric camera that does not exist: pictures of shadows of parts whose size is known."""
