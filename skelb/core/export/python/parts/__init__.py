"""What a written file is put together from: plain Python, taken piece by piece as it stands here."""
