"""Edits of surfaces, translations and devices: one function for one sentence in the history of a kit, or of a device."""

from dactyl.maps.edits import devices, surfaces, translations

__all__ = ["devices", "surfaces", "translations"]
