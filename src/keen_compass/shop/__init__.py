"""The shop: machines, instruments, stock, rounds, and the file that keeps them."""
