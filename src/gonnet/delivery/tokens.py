"""Keys that never leave a smart card or another token (PKCS #11), named by a URI (RFC 7512)."""

from __future__ import annotations

import threading
from typing import TYPE_CHECKING, Any, Self
from urllib.parse import unquote

from cryptography.hazmat.primitives.asymmetric import rsa
from cryptography.hazmat.primitives.asymmetric.padding import PKCS1v15
from cryptography.hazmat.primitives.hashes import SHA256

from gonnet.errors import JobError

if TYPE_CHECKING:
    import pkcs11

_EXAMPLE = "pkcs11:token=Office;object=statements?module-path=/usr/lib/…/libsofthsm2.so"


class TokenKey(rsa.RSAPrivateKey):
    """An RSA key on a token, as what signs messages takes one: it signs with SHA-256, and does nothing else."""

    def __init__(self, key: pkcs11.SignMixin, public: rsa.RSAPublicKey) -> None:
        self._key, self._public = key, public
        self._lock = threading.Lock()  # a session with a token does one thing at a time

    @property
    def key_size(self) -> int:
        """Its bits."""
        return self._public.key_size

    def public_key(self) -> rsa.RSAPublicKey:
        """The key that belongs to it."""
        return self._public

    def sign(self, data: Any, padding: Any, algorithm: Any) -> bytes:  # noqa: ANN401  as the class that it stands for
        """A signature (RFC 8017, 8.2)."""
        import pkcs11

        if not isinstance(padding, PKCS1v15) or not isinstance(algorithm, SHA256):
            raise NotImplementedError("a token signs with PKCS #1 v1.5 and SHA-256 here")
        with self._lock:
            return bytes(self._key.sign(bytes(data), mechanism=pkcs11.Mechanism.SHA256_RSA_PKCS))

    def decrypt(self, ciphertext: Any, padding: Any) -> bytes:  # noqa: ANN401
        """Not here."""
        raise NotImplementedError

    def private_numbers(self) -> rsa.RSAPrivateNumbers:
        """Nobody gets them."""
        raise NotImplementedError

    def private_bytes(self, encoding: Any, format: Any, encryption_algorithm: Any) -> bytes:  # noqa: ANN401
        """Nobody gets them."""
        raise NotImplementedError

    def __copy__(self) -> Self:
        return self

    def __deepcopy__(self, memo: dict[int, Any]) -> Self:
        return self


def key_on_token(uri: str, pin: str | None, public: object, where: str) -> TokenKey:
    """The private key that a URI names; the token stays open as long as the program runs.

    Args:
        uri: With `token` and `object` or `id`, and `module-path`, the library that speaks to it.
        pin: What opens the token, or None.
        public: The key of the certificate that belongs to it.
        where: What to name in an error.

    Raises:
        JobError: the URI, the library, the token or the key cannot be used.
    """
    try:
        import pkcs11
    except ImportError as error:
        fix = "Install it: pip install 'gonnet[token]'"
        raise JobError("the library that speaks to tokens is not installed", where=where, fix=fix) from error
    said = _parts(uri)
    if "module-path" not in said or not {"object", "id"} & said.keys():
        raise JobError(f"'{uri}' names no library or no key", where=where, fix=f"Write one such as {_EXAMPLE}")
    if not isinstance(public, rsa.RSAPublicKey):
        raise JobError("a key on a token must be an RSA key", where=where, fix="Name the certificate of one")
    wanted: dict[str, Any] = {"object_class": pkcs11.ObjectClass.PRIVATE_KEY}
    wanted |= {"label": said["object"]} if "object" in said else {}
    wanted |= {"id": said["id"].encode("latin-1")} if "id" in said else {}
    try:
        token = pkcs11.lib(said["module-path"]).get_token(token_label=said.get("token"))
        key = _session(token, pin).get_key(**wanted)
    except (pkcs11.PKCS11Error, RuntimeError) as error:
        why = str(error) or type(error).__name__
        fix = "Check the token, its PIN (`password`), and the names in the URI"
        raise JobError(f"the key on the token cannot be used: {why}", where=where, fix=fix) from error
    if not isinstance(key, pkcs11.SignMixin):
        raise JobError("the key on the token does not sign", where=where, fix="Name one that does")
    return TokenKey(key, public)


def _session(token: pkcs11.Token, pin: str | None) -> pkcs11.Session:
    import pkcs11

    try:
        return token.open(user_pin=pin)
    except pkcs11.UserAlreadyLoggedIn:  # who opened it in this process opened it for all
        return token.open()


def _parts(uri: str) -> dict[str, str]:
    path, _, query = uri.partition(":")[2].partition("?")
    pairs = [part.partition("=") for part in (*path.split(";"), *query.split("&")) if part]
    return {name: unquote(value, "latin-1" if name == "id" else "utf-8") for name, _, value in pairs}
