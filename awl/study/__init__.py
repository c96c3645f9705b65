"""The study file: one GeoPackage per job, written in plain SQL."""
