"""A designer's files, read and checked."""
