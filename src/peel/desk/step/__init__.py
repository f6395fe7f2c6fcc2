"""What every step of the work has in common: its panel, its controllers, its specification."""
