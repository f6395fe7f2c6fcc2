"""The picture on its mat, and the proofs beside it."""
