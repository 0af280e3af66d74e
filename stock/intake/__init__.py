"""Fibre in: wood and bagasse to bone-dry, and what the digester will need."""
