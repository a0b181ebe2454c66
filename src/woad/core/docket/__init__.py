"""The docket: the settings of one sheet, their ranges, starting values and history."""
