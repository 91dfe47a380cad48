"""One package per trade, each a thin composition of booking, levelling and record."""
