"""The settings of each step, at the right under the proofs."""
