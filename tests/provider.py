"""A small identity provider for tests: OpenID Connect with a description, an answer at once, tokens, and faults on demand."""

from __future__ import annotations

import base64
import hashlib
import json
import secrets
import threading
import time
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from urllib.parse import parse_qs, urlencode, urlsplit

import jwt
from cryptography.hazmat.primitives.asymmetric import rsa

CLIENT, SECRET = "wainwright", "lantern"


class Provider(ThreadingHTTPServer):
    """Vouches for ``person``; ``fault`` names what it does wrong."""

    daemon_threads = True

    def __init__(self):
        super().__init__(("127.0.0.1", 0), _Handler)
        self.issuer = f"http://127.0.0.1:{self.server_port}"
        self.key = rsa.generate_private_key(public_exponent=65537, key_size=2048)
        self.person: dict = {}
        self.fault = ""
        self.codes: dict[str, dict] = {}
        self.asked: list[str] = []


class _Handler(BaseHTTPRequestHandler):
    server: Provider

    def log_message(self, *args):
        """Say nothing."""

    def _send(self, value, status: int = 200, **heads):
        body = value if isinstance(value, bytes) else json.dumps(value).encode()
        self.send_response(status)
        for name, text in {"Content-Type": "application/json", "Content-Length": str(len(body)), **heads}.items():
            self.send_header(name.replace("_", "-"), text)
        self.end_headers()
        self.wfile.write(body)

    def do_GET(self):
        there, url = self.server, urlsplit(self.path)
        there.asked.append(url.path)
        if url.path == "/.well-known/openid-configuration":
            if there.fault == "nonsense":
                return self._send(b"<html>no</html>")
            if there.fault == "huge":
                return self._send(b"[" + b"1," * 900_000 + b"1]")
            if there.fault == "list":
                return self._send([1, 2])
            said = {
                "issuer": there.issuer + ("/other" if there.fault == "issuer" else ""),
                "authorization_endpoint": f"{there.issuer}/authorize", "token_endpoint": f"{there.issuer}/token",
                "userinfo_endpoint": f"{there.issuer}/userinfo", "jwks_uri": f"{there.issuer}/keys",
                "token_endpoint_auth_methods_supported": ["client_secret_basic"],
            }  # fmt: skip
            if there.fault == "inside":
                said["token_endpoint"] = "http://169.254.169.254/token"
            if there.fault == "lacks":
                del said["jwks_uri"]
            return self._send(said)
        if url.path == "/authorize":
            asked = {name: values[0] for name, values in parse_qs(url.query).items()}
            back = {"state": asked["state"]}
            if there.fault == "cancelled":
                back["error"] = "access_denied"
            else:
                code = secrets.token_hex(8)
                there.codes[code], back["code"] = asked, code
            return self._send(b"", 302, Location=f"{asked['redirect_uri']}?{urlencode(back)}")
        if url.path == "/userinfo":
            return self._send(there.person | ({"sub": "somebody else"} if there.fault == "userinfo" else {}))
        return self._send({}, 404)

    def do_POST(self):
        there = self.server
        sent = {n: v[0] for n, v in parse_qs(self.rfile.read(int(self.headers["Content-Length"])).decode()).items()}
        asked = there.codes.pop(sent.get("code", ""), None)
        basic = base64.b64decode(self.headers.get("Authorization", "Basic ").removeprefix("Basic ")).decode()
        proof = (
            base64.urlsafe_b64encode(hashlib.sha256(sent.get("code_verifier", "").encode()).digest())
            .rstrip(b"=")
            .decode()
        )
        if there.fault == "tokens":
            return self._send({"what": "ever"})
        if asked is None or basic != f"{CLIENT}:{SECRET}" or proof != asked["code_challenge"]:
            return self._send({"error": "invalid_grant"}, 400)
        now = int(time.time())  # noqa: TID251 - a real provider goes by the real clock, as the library that reads it does
        claims = {"iss": there.issuer, "aud": CLIENT, "iat": now, "exp": now + 300, **there.person}
        if there.fault == "for another":
            claims["aud"] = "somebody"
        token = jwt.encode(claims, there.key, algorithm="RS256", headers={"kid": "1"})
        return self._send({"access_token": "a", "token_type": "Bearer", "id_token": token})


@contextmanager
def running():
    """Run one while the test does."""
    there = Provider()
    threading.Thread(target=there.serve_forever, daemon=True).start()
    try:
        yield there
    finally:
        there.shutdown()
        there.server_close()
