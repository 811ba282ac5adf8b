"""Names and loudness -> kinds, layers and takes."""
