"""Use cases. Each owns its transaction and takes who does it (`by`) and when (`now`)."""
