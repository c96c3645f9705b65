"""Small programs for those who carry Awl on."""
