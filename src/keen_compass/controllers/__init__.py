"""How numbers get into a controller and out of it."""
