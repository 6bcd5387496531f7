"""Surface imperfections of the scan: what is looked for, the list, the flat map."""
