"""Secrets from the system's keyring."""


def from_keyring(entry: str) -> str:
    """Return what the keyring keeps under an entry; empty where there's no keyring, or no such entry."""
    try:
        import keyring
    except ImportError:
        return ""
    try:
        return str(keyring.get_password("tavolan", entry) or "")
    except keyring.errors.KeyringError:
        return ""
