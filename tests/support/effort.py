"""How hard property tests try."""

from hypothesis import settings


def tries(thorough: int, least: int = 2) -> settings:
    """Settings for a test that takes so many examples with the profile `thorough`, and a share of them with `quick`."""
    return settings(max_examples=max(least, thorough * settings.default.max_examples // 100))
