"""The assignment board: a page of cards."""
