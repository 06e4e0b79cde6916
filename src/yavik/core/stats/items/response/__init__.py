"""Item response: curves of answers over an ability, fitted by marginal maximum likelihood."""
