"""Read and write sound files."""
