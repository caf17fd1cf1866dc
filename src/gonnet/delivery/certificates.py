"""Why a server's certificate is not trusted, and what to do about it."""

from __future__ import annotations

import ssl

_OTHER_NAME = (62, 64)  # OpenSSL: X509_V_ERR_HOSTNAME_MISMATCH, X509_V_ERR_IP_ADDRESS_MISMATCH


def untrusted(error: ssl.SSLCertVerificationError) -> tuple[str, str]:
    """What is wrong, and the cure."""
    what = f"its certificate is not trusted: {error.verify_message.rstrip('.')}"
    if error.verify_code in _OTHER_NAME:
        return what, "Write `host:` as its certificate calls it, or ask whoever runs the server"
    return what, "Name the certificate's issuer with ca_file, or ask whoever runs the server"
