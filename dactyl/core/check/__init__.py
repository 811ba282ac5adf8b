"""The kit check: what a careful engineer would find before the session. A measured kit in, findings and mends out."""
