"""A made-up workshop in a made-up town, with made-up people and vehicles."""
