"""The computation of stock preparation: no web, no database, no clock.

The packages read in the order of the work: intake, cooking, washing, screening,
bleaching, recovered, slushing, refining, consistency, blending, delivery. `line`
joins them into one balance, `judge` says what a reading means, `plan` looks ahead.
"""
