"""Sentences for screens and reports, made from codes and values."""
