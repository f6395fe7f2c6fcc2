"""Deliver: files of one job by presets, with a report and what was found wrong with them."""
