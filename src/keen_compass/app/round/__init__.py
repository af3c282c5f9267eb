"""The round: make, measure, correct, confirm, on one screen around the piece."""
