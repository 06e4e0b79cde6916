"""Numbers of items: correlations worth factoring, factors and their rotation, item response, agreement of raters."""
