"""A small application behind Lucchetto, before the server of Python's own library.

    LUCCHETTO=http://localhost:8420 CLIENT_ID=... LUCCHETTO_APP_KEY=lcp_... PORT=8500 python3 huts.py

Registered: --redirect-uri http://localhost:PORT/signed-in --signed-out-uri http://localhost:PORT/
"""

import html
import json
import os
from socketserver import ThreadingMixIn
from wsgiref.simple_server import WSGIRequestHandler, WSGIServer, make_server

from hasp import Hasp

PORT = int(os.environ["PORT"])
hasp = Hasp(
    service=os.environ["LUCCHETTO"],
    client_id=os.environ["CLIENT_ID"],
    app_key=os.environ["LUCCHETTO_APP_KEY"],
    return_address=f"http://localhost:{PORT}/signed-in",
    signed_out_address=f"http://localhost:{PORT}/",
    keep_answers_for=float(os.environ.get("KEEP_ANSWERS_FOR", "0")),
    closed=[
        "/members/*",
        "/api/*",
        {"path": "/keepers/*", "label": {"any": ["keeper", "cook"]}},
        {"path": "/key-box", "level": 2},
        {"path": "/ledger", "fresh_within": 300},
    ],
)


def application(environ, start_response):
    who = environ["hasp.account"]
    path = environ["PATH_INFO"]
    if path == "/api/my-nights":
        return send(start_response, "application/json", json.dumps({"account": who["sub"], "nights": []}))
    if path == "/":
        text = '<p>Five huts above the lake. <a href="/members">For members</a> <a href="/key-box">Key box</a></p>'
    elif path.startswith(("/members", "/keepers")) or path in ("/key-box", "/ledger"):
        text = f"<p>Your nights at the huts are listed here: none yet. This is {html.escape(path)}.</p>"
    else:
        return send(start_response, "text/html; charset=utf-8", "<p>Nothing stands here.</p>", "404 Not Found")
    return send(start_response, "text/html; charset=utf-8", page(who, text))


def page(who, text):
    if who is None:
        bar = '<a href="/sign-in">Sign in</a> <a href="/register">Create an account</a>'
    else:
        name = html.escape(who["name"] or who["username"] or who["email"] or who["sub"])
        bar = f'Good day, {name}. <a href="{who["iss"]}/account">Your account</a> <form method=post action="/sign-out"><button>Sign out</button></form>'
    return f"<!doctype html><html lang=en><title>Brina Huts</title><header>{bar}</header><h1>Brina Huts</h1>{text}"


def send(start_response, kind, text, status="200 OK"):
    body = text.encode()
    start_response(status, [("Content-Type", kind), ("Content-Length", str(len(body)))])
    return [body]


class Server(ThreadingMixIn, WSGIServer):
    daemon_threads = True


class Quiet(WSGIRequestHandler):
    def log_message(self, format, *arguments):
        """Addresses here carry codes; nothing of them is logged."""


if __name__ == "__main__":
    with make_server("127.0.0.1", PORT, hasp(application), Server, Quiet) as server:
        print(f"http://localhost:{PORT}", flush=True)
        server.serve_forever()
