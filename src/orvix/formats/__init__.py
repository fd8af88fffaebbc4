"""Files that hold more than one picture, one format a file, each with its limits."""
