"""Sheets as documents: read and written as JSON, fitted to a study, run as a whole, with blanks and forms for colleagues."""
