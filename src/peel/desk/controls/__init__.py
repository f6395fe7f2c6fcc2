"""The controls around the picture: numbers, shelf, step line, messages, key sheet."""
