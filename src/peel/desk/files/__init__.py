"""Opening, keeping and closing, on a worker."""
