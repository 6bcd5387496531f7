"""Routes of a machine as data: planned without one, executed by runs, the stand-in and rehearsals alike."""
