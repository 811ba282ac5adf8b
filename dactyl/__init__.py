"""Dactyl: a workshop for sampled drum kits."""
