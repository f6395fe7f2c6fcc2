"""The open job, its file, what Peel remembers between two starts, and recovery."""
