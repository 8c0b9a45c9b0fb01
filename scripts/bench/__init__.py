"""What `make bench` is made of, part by part."""
