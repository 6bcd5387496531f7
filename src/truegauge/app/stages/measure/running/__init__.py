"""Running the route on the machine: by an operator, part after part, or in part by a programmer."""
