"""What differs? The question `compare`: answers of a kind set side by side, their differences computed by key."""
