"""Pictures of a view on the screen: where they lie, their tiles, and what is laid over them."""
