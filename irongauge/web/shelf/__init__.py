"""The Shelf: sensor types, instruments, the shop itself."""
