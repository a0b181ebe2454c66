"""The Knock-out step: coverage and the colour of marks without the paper's share."""
