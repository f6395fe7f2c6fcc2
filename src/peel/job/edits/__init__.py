"""Edits: functions from a job to a new one, each a step of undo."""
