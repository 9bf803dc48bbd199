"""What a designer writes, read and checked."""
