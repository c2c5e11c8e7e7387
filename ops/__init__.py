"""Setting up, starting and checking the project. Standard library only: this runs before anything is installed."""
