"""Acts on masters: fetched or read from a file, taken in one act, connected with what the application knows."""
