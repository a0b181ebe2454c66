"""The view: the sheet as it leaves the chosen step."""
