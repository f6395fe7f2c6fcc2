"""Attacks on what Peel promises: kills, a second process, full disks, mutated files, odd commands, random hands."""
