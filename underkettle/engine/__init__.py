"""The computation: arrays in, arrays out. No files, web, database, case, or names of phenomena."""
