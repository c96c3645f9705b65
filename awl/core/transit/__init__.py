"""Public transport: feeds, the timetable of a day, searches in it, and a router that joins it to the streets."""
