"""Looking ahead: cover, forecasts."""
