"""Numbers of series over time: correlograms, unit roots, parts."""
