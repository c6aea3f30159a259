"""A stand-in for a provider's sign-in service (RFC 8628) on loopback: it gives codes, waits until a
test says that somebody typed one, and gives tokens."""

import json
import ssl
import threading
import urllib.parse
from datetime import UTC, datetime
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from secrets import token_hex

from nebbet.personal.settings import SignIn
from nebbet.standin.certificate import make_certificate
from nebbet.standin.ports import HOST

_DEVICE = "urn:ietf:params:oauth:grant-type:device_code"
_LARGEST = 64 * 1024


class SignInService:
    """token is the access token that it gives; a mail service takes it as a password. approved are
    the codes that somebody typed, denied those to which they said no; slow lets the next answer
    ask for more patience."""

    def __init__(self, folder: Path, token: str) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self.certificate, key = make_certificate(folder, HOST, now=datetime.now(UTC))
        self.token, self.slow, self.expires_in = token, False, 3600
        self.codes: dict[str, str] = {}  # user code by device code
        self.approved: set[str] = set()
        self.denied: set[str] = set()
        self.refresh_tokens: set[str] = set()
        self._server = ThreadingHTTPServer((HOST, 0), _handler(self))
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        context.load_cert_chain(self.certificate, key)
        self._server.socket = context.wrap_socket(self._server.socket, server_side=True)
        self._thread = threading.Thread(
            target=self._server.serve_forever, kwargs={"poll_interval": 0.05},
            name="nebbet-sign-in", daemon=True,
        )  # fmt: skip

    def start(self) -> None:
        """Begin to answer."""
        self._thread.start()

    def stop(self) -> None:
        """Answer no more."""
        self._server.shutdown()
        self._server.server_close()
        self._thread.join(10)

    @property
    def place(self) -> SignIn:
        """How it is reached."""
        base = f"https://{HOST}:{self._server.server_address[1]}"
        return SignIn(f"{base}/device", f"{base}/token", "nebbet", "mail")

    def answer(self, path: str, form: dict[str, str]) -> tuple[int, dict[str, object]]:
        """The answer to a form."""
        if form.get("client_id") != "nebbet":
            return 401, {"error": "invalid_client", "error_description": "Nobody knows you here"}
        if path == "/device":
            device, user = token_hex(16), token_hex(4).upper()
            self.codes[device] = f"{user[:4]}-{user[4:]}"
            return 200, {
                "device_code": device, "user_code": self.codes[device], "interval": 1,
                "verification_uri": f"https://{HOST}/code", "expires_in": 600,
            }  # fmt: skip
        if form.get("grant_type") == "refresh_token":
            known = form.get("refresh_token") in self.refresh_tokens
            return self._tokens() if known else (400, {"error": "invalid_grant"})
        if form.get("grant_type") != _DEVICE:
            return 400, {"error": "unsupported_grant_type"}
        return self._waited(self.codes.get(form.get("device_code", ""), ""))

    def _waited(self, user: str) -> tuple[int, dict[str, object]]:
        if self.slow:
            self.slow = False
            return 400, {"error": "slow_down"}
        if user in self.denied:
            return 400, {"error": "access_denied"}
        if not user:
            return 400, {"error": "expired_token"}
        if user not in self.approved:
            return 400, {"error": "authorization_pending"}
        return self._tokens()

    def _tokens(self) -> tuple[int, dict[str, object]]:
        made = token_hex(16)
        self.refresh_tokens.add(made)
        return 200, {
            "access_token": self.token, "refresh_token": made, "token_type": "Bearer",
            "expires_in": self.expires_in,
        }  # fmt: skip


def _handler(service: SignInService) -> type[BaseHTTPRequestHandler]:
    class Handler(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            """Answer a form."""
            size = min(int(self.headers.get("Content-Length") or 0), _LARGEST)
            form = dict(urllib.parse.parse_qsl(self.rfile.read(size).decode("utf-8", "replace")))
            code, answer = service.answer(self.path, form)
            data = json.dumps(answer).encode()
            self.send_response(code)
            self.send_header("Content-Type", "application/json")
            self.send_header("Content-Length", str(len(data)))
            self.end_headers()
            self.wfile.write(data)

        def log_message(self, *_args: object) -> None:
            """Nothing is told: forms hold tokens."""

    return Handler
