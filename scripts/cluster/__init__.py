"""A chain's set-up on one machine: three database nodes that replicate each other, two application processes, and a
balancer in front of both. For trying what survives; how it is run for real is in `docs/scale.md`."""
