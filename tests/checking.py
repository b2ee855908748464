"""What the USD library has to say about a file."""

from pathlib import Path

from pxr import Usd


def failed_checks(path: Path) -> list[str]:
    """What the format's own validator has to say."""
    from pxr import UsdValidation

    registry = UsdValidation.ValidationRegistry()
    context = UsdValidation.ValidationContext(registry.GetOrLoadAllValidators())
    errors = context.Validate(Usd.Stage.Open(str(path)))
    return [error.GetErrorAsString() for error in errors]
