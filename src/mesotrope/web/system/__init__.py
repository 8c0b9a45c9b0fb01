"""How the product itself does."""
