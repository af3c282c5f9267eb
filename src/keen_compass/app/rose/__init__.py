"""The rose: how one machine stands, and what to do next."""
