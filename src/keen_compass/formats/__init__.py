"""Files for machines and people: written here, read again by the stand-ins and by independent readers."""
