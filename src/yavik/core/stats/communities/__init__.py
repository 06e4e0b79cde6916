"""Communities: samples of many taxa, how unlike they are, and what makes them so."""
