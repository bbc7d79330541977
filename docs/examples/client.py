#!/usr/bin/env python3
"""A web application that signs people in by OAuth 2.0, written from the RFCs alone, with nothing but Python's own library.

    ISSUER=http://localhost:8420 CLIENT_ID=... CLIENT_SECRET=... PORT=8500 python3 client.py

Registered: --redirect-uri http://localhost:PORT/back --signed-out-uri http://localhost:PORT/. Standards: RFC 8414 (metadata),
RFC 6749 section 4.1 (authorization code), RFC 7636 (PKCE), RFC 9207 (iss), RFC 7662 (introspection), RFC 7009 (revocation),
OpenID Connect RP-Initiated Logout 1.0 (signing out).
"""
import base64
import hashlib
import html
import json
import os
import secrets
import sys
from http.cookies import SimpleCookie
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from urllib.error import HTTPError
from urllib.parse import parse_qs, quote_plus, urlencode, urlsplit
from urllib.request import Request, urlopen

ISSUER = os.environ["ISSUER"]
CLIENT_ID = os.environ["CLIENT_ID"]
CLIENT_SECRET = os.environ["CLIENT_SECRET"]
PORT = int(os.environ["PORT"])
RETURN_ADDRESS = f"http://localhost:{PORT}/back"
SIGNED_OUT_ADDRESS = f"http://localhost:{PORT}/"
TIMEOUT = 5


def read_metadata():
    """RFC 8414 section 3: the well-known part stands between the host and the issuer's path."""
    parts = urlsplit(ISSUER)
    address = f"{parts.scheme}://{parts.netloc}/.well-known/oauth-authorization-server{parts.path.rstrip('/')}"
    with urlopen(address, timeout=TIMEOUT) as reply:
        metadata = json.load(reply)
    if metadata["issuer"] != ISSUER:
        raise SystemExit(f"{address} speaks for {metadata['issuer']}, not for {ISSUER}")
    return metadata


METADATA = read_metadata()


def post(endpoint, fields):
    """A form to one of the endpoints, with the client's credentials as HTTP Basic (RFC 6749 section 2.3.1)."""
    pair = f"{quote_plus(CLIENT_ID)}:{quote_plus(CLIENT_SECRET)}".encode()
    headers = {
        "Authorization": "Basic " + base64.b64encode(pair).decode(),
        "Content-Type": "application/x-www-form-urlencoded",
        "Accept": "application/json",
    }
    request = Request(METADATA[endpoint], urlencode(fields).encode(), headers)
    try:
        with urlopen(request, timeout=TIMEOUT) as reply:
            text = reply.read()
            return reply.status, json.loads(text) if text else {}
    except HTTPError as refusal:
        return refusal.code, json.loads(refusal.read() or b"{}")


def challenge_of(verifier):
    digest = hashlib.sha256(verifier.encode("ascii")).digest()
    return base64.urlsafe_b64encode(digest).rstrip(b"=").decode()


class Refused(Exception):
    """A question was refused: the client id or its secret is wrong, or the service is not well."""


class Application(BaseHTTPRequestHandler):
    def handle_one_request(self):
        try:
            super().handle_one_request()
        except Refused as refusal:
            print(refusal, file=sys.stderr, flush=True)
            self.page(502, "<p>This cannot be shown right now. The application's log says why.</p>")

    def do_GET(self):
        address = urlsplit(self.path)
        query = {name: values[0] for name, values in parse_qs(address.query).items()}
        if address.path == "/":
            self.page(200, '<p>Open to all. <a href="/members">For members</a></p>')
        elif address.path == "/members":
            self.members()
        elif address.path == "/back":
            self.back(query)
        else:
            self.page(404, "<p>Nothing stands here.</p>")

    def do_POST(self):
        if self.path != "/sign-out":
            return self.page(404, "<p>Nothing stands here.</p>")
        who = self.who()
        if not who["active"]:
            return self.redirect("/", {"token": None})
        post("revocation_endpoint", {"token": self.cookie("token")})
        # The session itself ends at Lucchetto; whoever knows its id is not asked again.
        fields = {"client_id": CLIENT_ID, "post_logout_redirect_uri": SIGNED_OUT_ADDRESS, "logout_hint": who["sid"]}
        self.redirect(f"{METADATA['end_session_endpoint']}?{urlencode(fields)}", {"token": None})

    def who(self):
        token = self.cookie("token")
        if not token:
            return {"active": False}
        status, reply = post("introspection_endpoint", {"token": token})
        if status != 200:
            raise Refused(f"who is there was not told: {status} {reply.get('error') or reply.get('code', '')}")
        return reply

    def members(self):
        who = self.who()
        if not who["active"]:
            return self.send_off()
        name = html.escape(who.get("name") or who.get("username") or who.get("email") or who["sub"])
        self.page(200, f'<p>Good day, {name}. <a href="{ISSUER}/account">Your account</a></p><form method="post" action="/sign-out"><button>Sign out</button></form>')

    def send_off(self):
        state, verifier = secrets.token_urlsafe(16), secrets.token_urlsafe(32)
        fields = {
            "response_type": "code",
            "client_id": CLIENT_ID,
            "redirect_uri": RETURN_ADDRESS,
            "state": state,
            "code_challenge": challenge_of(verifier),
            "code_challenge_method": "S256",
        }
        self.redirect(f"{METADATA['authorization_endpoint']}?{urlencode(fields)}", {"away": f"{state}.{verifier}"})

    def back(self, query):
        state, _, verifier = (self.cookie("away") or "").partition(".")
        told = METADATA.get("authorization_response_iss_parameter_supported")
        if not state or query.get("state") != state or (told and query.get("iss") != ISSUER):
            return self.page(400, "<p>This browser did not ask for this sign-in.</p>")
        if "error" in query:
            return self.page(400, f"<p>Not signed in: {html.escape(query['error'])}</p>")
        fields = {
            "grant_type": "authorization_code",
            "code": query.get("code", ""),
            "redirect_uri": RETURN_ADDRESS,
            "code_verifier": verifier,
        }
        status, reply = post("token_endpoint", fields)
        if status != 200:
            return self.page(400, f"<p>Not signed in: {html.escape(reply.get('error', 'no reply'))}</p>")
        self.redirect("/members", {"token": reply["access_token"], "away": None})

    def cookie(self, name):
        morsel = SimpleCookie(self.headers.get("Cookie", "")).get(f"{name}-{PORT}")
        return morsel.value if morsel else None

    def set_cookies(self, cookies):
        for name, value in cookies.items():
            life = "; Max-Age=0" if value is None else ""
            self.send_header("Set-Cookie", f"{name}-{PORT}={value or ''}; Path=/; HttpOnly; SameSite=Lax{life}")

    def redirect(self, address, cookies):
        self.send_response(303)
        self.send_header("Location", address)
        self.send_header("Cache-Control", "no-store")
        self.set_cookies(cookies)
        self.end_headers()

    def page(self, status, body):
        text = f"<!doctype html><title>Python</title>{body}".encode()
        self.send_response(status)
        self.send_header("Content-Type", "text/html; charset=utf-8")
        self.send_header("Content-Length", str(len(text)))
        self.send_header("Cache-Control", "no-store")
        self.end_headers()
        self.wfile.write(text)

    def log_message(self, format, *args):
        """Addresses here carry codes; nothing of them is logged."""


print(f"http://localhost:{PORT}", flush=True)
ThreadingHTTPServer(("127.0.0.1", PORT), Application).serve_forever()
