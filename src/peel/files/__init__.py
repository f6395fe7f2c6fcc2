"""The outside world: photos in, cutouts out, and the job file."""
