"""Files in and out. A reader returns plain values or raises `FormatError` naming the file and what to do."""
