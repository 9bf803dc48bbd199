"""Looking scenarios over before they are run."""
