"""Brown-stock washing: dilution, displacement, loss."""
