"""Who gets in: hosts, origins, the token, and the headers of every answer.

Nothing here is a wall against what runs in the browser itself, or at the keyboard: an extension that may read
the page can drive. It is a wall against other pages, other users and programs of this computer, and whoever
only listens on the network."""

import hmac
import secrets
from collections.abc import Iterable, Mapping
from hashlib import blake2s

TOKEN_BYTES = 16
"""128 bits cannot be guessed, so nobody needs to be shut out for guessing."""

CHALLENGE_BYTES = 16
PROOF_BYTES = 32

LOOPBACK = ("127.0.0.1", "localhost", "[::1]")

POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; connect-src 'self'; "
    "base-uri 'none'; form-action 'none'; frame-ancestors 'none'; require-trusted-types-for 'script'; "
    "trusted-types 'none'"
)

HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Frame-Options": "DENY",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Cache-Control": "no-store",
    "Permissions-Policy": "gamepad=(self), screen-wake-lock=(self), fullscreen=(self), camera=(), "
    "microphone=(), geolocation=(), usb=(), serial=()",
}
"""Of every answer. A browser that obeys them runs nothing but the page's own files, shows it in no frame,
and keeps no copy."""

ALONE = {"Cross-Origin-Opener-Policy": "same-origin"}
"""Besides, where the browser heeds it: on this computer and over TLS."""


DEFAULT_PORTS = {False: 80, True: 443}
"""Without and with TLS (RFC 9110)."""


def bracketed(name: str) -> str:
    """A name as it stands in an address: one of IPv6 has brackets around it (RFC 3986).

    >>> bracketed("fe80::1"), bracketed("192.0.2.7")
    ('[fe80::1]', '192.0.2.7')
    """
    return f"[{name}]" if ":" in name and not name.startswith("[") else name


def new_token() -> bytes:
    """Another one at each start: a link that lies in a browser's history opens nothing later."""
    return secrets.token_bytes(TOKEN_BYTES)


def new_challenge() -> bytes:
    """What a page has to answer with the token's help."""
    return secrets.token_bytes(CHALLENGE_BYTES)


def proof(token: bytes, challenge: bytes) -> bytes:
    """Keyed BLAKE2s (RFC 7693): who only listens learns nothing of the token from it."""
    return blake2s(challenge, key=token, digest_size=PROOF_BYTES).digest()


def proves(token: bytes, challenge: bytes, answer: str) -> bool:
    """Whether an answer, in hex digits, is the right one."""
    return hmac.compare_digest(proof(token, challenge).hex(), answer)


class Doors:
    """Which hosts this server answers to. ``names`` are those given besides loopback's."""

    def __init__(self, port: int, names: Iterable[str] = (), *, tls: bool = False) -> None:
        # A browser leaves out the number of the port that is its scheme's own.
        ends = (f":{port}", *([""] if port == DEFAULT_PORTS[tls] else []))
        called = (*LOOPBACK, *map(bracketed, names))
        self.hosts = frozenset(f"{name}{end}".lower() for name in called for end in ends)
        self.scheme = "https" if tls else "http"
        self._loopback = frozenset(f"{name}{end}" for name in LOOPBACK for end in ends)
        self._tls = tls

    def knows(self, host: str | None) -> bool:
        """Whether a request is for this server by name: a name that somebody else lets point here is not."""
        return host is not None and host.lower() in self.hosts

    def same_origin(self, origin: str | None, host: str) -> bool:
        """Whether an upgrade comes from a page of this server."""
        return origin is not None and origin.lower() == f"{self.scheme}://{host.lower()}"

    def headers(self, host: str | None) -> Mapping[str, str]:
        """The headers of an answer."""
        alone = self._tls or (host or "").lower() in self._loopback
        return HEADERS | ALONE if alone else HEADERS
