"""The campaign of `make torture`, short."""
