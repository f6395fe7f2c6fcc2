"""What the marking tools find in the photo."""
