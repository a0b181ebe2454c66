"""The Paper step: the light that fell on the sheet, the paper's noise, evening."""
