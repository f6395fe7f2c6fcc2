"""Closed-form matting: the Laplacian, its priors, the solver, and noise."""
