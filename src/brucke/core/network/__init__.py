"""What two computers say to each other, and how their clocks and sound are put together. Pure."""
