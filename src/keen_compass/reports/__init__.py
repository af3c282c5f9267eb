"""What is handed out: the calibration record, CSV."""
