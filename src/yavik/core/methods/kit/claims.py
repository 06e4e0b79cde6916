"""What a p allows to be said."""


def claimed(claim: str, shown: bool) -> str:
    """'Mean yield differs by plot', or 'There is no evidence that mean yield differs by plot': never that it does not."""
    return f"{claim[0].upper()}{claim[1:]}" if shown else f"There is no evidence that {claim}"
