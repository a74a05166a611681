"""What is run by who works on the program, and is no part of it."""
