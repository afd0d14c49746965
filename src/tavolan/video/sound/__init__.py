"""From voice, music and the clips' own sound to samples."""
