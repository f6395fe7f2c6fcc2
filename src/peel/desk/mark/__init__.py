"""Mark: the subject, roughly."""
