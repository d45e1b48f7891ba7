"""What is measured, and the peers it is measured against in the same run."""
