"""The room of what a device keeps: its worker, its manifest, and whose session it has."""
