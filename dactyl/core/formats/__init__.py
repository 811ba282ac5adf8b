"""Open formats, and how notes are written."""
