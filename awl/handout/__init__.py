"""Finished things that are given away: map sheets on paper, drawn from the same views that the browser shows."""
