"""Closed pages for a WSGI application in Python, with nothing but Python's own library. Copy this file beside your own.

    from hasp import Hasp

    hasp = Hasp(
        service="https://accounts.brina.example",
        client_id="hut-book",
        app_key=os.environ["LUCCHETTO_APP_KEY"],
        return_address="https://huts.example/signed-in",
        signed_out_address="https://huts.example/",
        closed=["/members/*", {"path": "/keepers/*", "label": "keeper"}, {"path": "/key-box", "level": 2}],
    )
    application = hasp(application)

Inside, environ["hasp.account"] is who is there (a dict: sub, email, name, labels ...), or None for a guest. A path may want a label ("keeper",
{"any": [...]} or {"all": [...]}), level 2 (a second factor), and fresh_within seconds of a proof; hasp.closed(handler, label="keeper") wants it
of one handler. In place of closed, open=["/"] closes everything else. The hasp answers at /sign-in, /register, /sign-out (POST) and the
return address. Scripts send an access key: Authorization: Bearer lca_...

Standards: RFC 8414 (metadata), RFC 6749 section 4.1 (authorization code), RFC 7636 (PKCE), RFC 9207 (iss), RFC 7662 (introspection), RFC 7009
(revocation), RFC 9470 (step-up), RFC 9457 (problems), OpenID Connect RP-Initiated Logout 1.0 and Core 1.0 section 4 (signing out, sign-ins
begun elsewhere).
"""

import base64
import hashlib
import html
import json
import re
import secrets
import sys
import threading
import time
from collections import OrderedDict
from urllib.error import HTTPError
from urllib.parse import parse_qs, quote_plus, unquote_to_bytes, urlencode, urlsplit
from urllib.request import Request, urlopen

AWAY_FOR = 3600  # seconds that somebody may take to sign in
MAX_AWAY = 4  # sign-ins that one browser may have begun at once
MAX_KEPT_FOR = 60  # seconds for which an answer may be used again
MAX_KEPT = 10_000
MIN_FRESH = 60  # showing a proof and coming back takes its time
MAX_TURNS = 8  # steps of reading, one after the other
MAX_READINGS = 300  # whatever has more, or is odd and longer, is nobody's path: everything is wanted there
MAX_ODD_LENGTH = 1_000
MAX_TARGET = 800  # characters of a wanted page's address; a longer one is forgotten
TIMEOUT = 5


class Unreachable(Exception):
    """Lucchetto gave no answer, or does not know this application."""


class Hasp:
    def __init__(
        self,
        *,
        service,
        client_id,
        app_key,
        return_address,
        signed_out_address=None,
        internal_address=None,
        closed=(),
        open=None,
        keep_answers_for=0,
        sign_in="/sign-in",
        register="/register",
        sign_out="/sign-out",
    ):
        """internal_address: where this server reaches Lucchetto, if not by its public address. keep_answers_for: seconds, 60 at most, for
        which a session that ended still opens pages; it saves a question per request. Raises ValueError for what cannot work."""
        if not (app_key or "").startswith("lcp_"):
            raise ValueError("app_key: expected an app key, which begins with lcp_; `lucchetto app new-key` shows one")
        if not 0 <= keep_answers_for <= MAX_KEPT_FOR:
            raise ValueError(f"keep_answers_for: expected seconds from 0 to {MAX_KEPT_FOR}")
        self._service = service.rstrip("/")
        self._calls_to = (internal_address or service).rstrip("/")
        self._credentials = base64.b64encode(f"{quote_plus(client_id)}:{quote_plus(app_key)}".encode()).decode()
        self._client_id = client_id
        self._return_address = return_address
        self._signed_out_address = signed_out_address
        address = urlsplit(return_address)
        self._origin = f"{address.scheme}://{address.netloc}"
        self._secure = address.scheme == "https"
        self._return_path = address.path
        self._name = "__Host-lucchetto-%s" if self._secure else f"lucchetto-%s-{address.port or 80}"
        self._paths = {"sign_in": sign_in, "register": register, "sign_out": sign_out}
        self._guard = read_guard(closed, open)
        self._keep_for = keep_answers_for
        self._kept = OrderedDict()
        self._lock = threading.Lock()
        self._metadata = None

    def __call__(self, application):
        """The application behind its closed paths."""

        def guarded(environ, start_response):
            try:
                answer = self._own(environ)
                if answer is None:
                    wanted = self._guard(environ)
                    answer = self._enter(environ, wanted)
                    if answer is None:
                        return application(environ, unkept(start_response) if wanted else start_response)
            except Unreachable as away:
                answer = self._unreachable(environ, away)
            return answer.send(environ, start_response)

        return guarded

    def closed(self, application, **wanted):
        """One handler, as a WSGI application, for whoever is signed in and meets what is wanted: label, level, fresh_within."""
        assert_wanted(wanted)

        def guarded(environ, start_response):
            try:
                answer = self._enter(environ, [wanted])
            except Unreachable as away:
                answer = self._unreachable(environ, away)
            return application(environ, unkept(start_response)) if answer is None else answer.send(environ, start_response)

        return guarded

    # Who is there

    def _enter(self, environ, all_wanted):
        """Sets environ["hasp.account"]; the answer for whom does not pass."""
        environ["hasp.account"] = None
        crossing = self._is_cross_site_write(environ)
        if crossing:
            return problem(403, "foreign-origin", "A browser sent this from a page that is not this application's own.") if all_wanted else None
        try:
            token = access_key(environ) or self._check_token(environ)
            account = token and self._recognise(token, any("fresh_within" in wanted for wanted in all_wanted))
        except Unreachable as away:
            if all_wanted:
                raise
            say(away)
            return None
        for wanted in all_wanted:
            if account is None:
                return self._ask_to_sign_in(environ, wanted)
            lack = first_unmet(account, wanted)
            if lack is not None:
                return self._refuse(environ, wanted, lack)
        environ["hasp.account"] = account
        return None

    def _recognise(self, token, is_fresh_wanted):
        name = hashlib.sha256(token.encode()).digest()
        now = time.monotonic()
        with self._lock:
            kept = self._kept.get(name)
        if kept is not None and not is_fresh_wanted and now < kept[0]:
            return kept[1]
        status, account = self._post("introspection_endpoint", {"token": token})
        if status != 200:
            raise Unreachable(f"{status} {account.get('error') or account.get('code', '')}")
        if not account.get("active"):
            return None
        if self._keep_for > 0:
            with self._lock:
                self._kept[name] = (now + self._keep_for, account)
                self._kept.move_to_end(name)
                while len(self._kept) > MAX_KEPT:
                    self._kept.popitem(last=False)
        return account

    def _is_cross_site_write(self, environ):
        """Whether something is to change on the strength of a cookie, without the browser's saying that a page of this application asked."""
        if is_reading(environ) or access_key(environ) or self._check_token(environ) is None:
            return False
        return not is_own_origin(environ, self._origin, otherwise=False)

    def _ask_to_sign_in(self, environ, wanted):
        if is_page(environ) and not access_key(environ):
            if is_reading(environ):
                return self._send_off(environ, target_of(environ), step_up(wanted))
            text = "What you sent was not saved. Sign in, then send it again."
            return page(401, "You’re no longer signed in", text, (self._paths["sign_in"], "Sign in"))
        challenge = f'Bearer realm="{self._origin}"' + (', error="invalid_token"' if access_key(environ) else "")
        detail = "Nobody is signed in. Sign in in a browser, or send an access key: Authorization: Bearer lca_..."
        return problem(401, "not-signed-in", detail, [("WWW-Authenticate", challenge)])

    def _refuse(self, environ, wanted, lack):
        if lack == "label":
            label = wanted["label"]
            label = label if isinstance(label, str) else ("” or “" if "any" in label else "” and “").join(label.get("any") or label["all"])
            text = f"It is for people with the label “{label}”, which your account does not have."
            if is_page(environ):
                return page(403, "This page is not for you", text, ("/", "Back to the start page"))
            return problem(403, "label-missing", text)
        if lack != "session" and is_page(environ) and is_reading(environ):
            return self._send_off(environ, target_of(environ), step_up(wanted))
        steps = "".join(f', {name}="{value}"' for name, value in step_up(wanted).items())
        challenge = f'Bearer realm="{self._origin}", error="insufficient_user_authentication"{steps}'
        detail = "This needs a session with a second factor, or a proof that was shown a short while ago."
        return problem(401, "step-up-required", detail, [("WWW-Authenticate", challenge)])

    # The hasp's own addresses

    def _own(self, environ):
        path = path_of(environ)
        query = {name: values[0] for name, values in parse_qs(environ.get("QUERY_STRING", "")).items()}
        if path == self._paths["sign_out"]:
            return self._sign_out(environ)
        if environ["REQUEST_METHOD"] != "GET":
            return None
        if path == self._return_path:
            return self._finish(environ, query)
        if path == self._paths["register"]:
            return self._send_off(environ, own_path(query.get("next")), {"prompt": "create"})
        if path != self._paths["sign_in"]:
            return None
        if "iss" in query:
            return self._started_elsewhere(environ, query)
        return self._send_off(environ, own_path(query.get("next")), {"by": "mail"} if query.get("by") == "mail" else {})

    def _send_off(self, environ, target, more):
        target = target if len(target) <= MAX_TARGET else "/"
        state, verifier = secrets.token_urlsafe(16), secrets.token_urlsafe(32)
        challenge = base64.urlsafe_b64encode(hashlib.sha256(verifier.encode()).digest()).rstrip(b"=").decode()
        fields = {
            "response_type": "code",
            "client_id": self._client_id,
            "redirect_uri": self._return_address,
            "state": state,
            "code_challenge": challenge,
            "code_challenge_method": "S256",
            "target_link_uri": self._origin + target,
            **more,
        }
        away = self._name % "away" + "-"
        begun = [name for name in cookies_of(environ) if name.startswith(away)]
        gone = [self._cookie(name, "", 0) for name in begun[: max(0, len(begun) - MAX_AWAY + 1)]]
        kept = f"{state}.{verifier}.{base64.urlsafe_b64encode(target.encode()).decode().rstrip('=')}"
        return redirect(
            f"{self._endpoint('authorization_endpoint')}?{urlencode(fields)}",
            [*gone, self._cookie(away + state[:8], kept, AWAY_FOR)],
        )

    def _started_elsewhere(self, environ, query):
        """Whom Lucchetto leads back to a page; nothing about who they are is taken from the address."""
        if query["iss"] != self._service:
            return self._begin_again("The answer did not come from the expected service.")
        target = query.get("target_link_uri", "")
        inside = target[len(self._origin) :] if target.startswith(self._origin + "/") else "/"
        return self._send_off(environ, own_path(inside), {})

    def _finish(self, environ, query):
        state = query.get("state", "")
        name = f"{self._name % 'away'}-{state[:8]}"
        began, _, rest = cookies_of(environ).get(name, "").partition(".")
        verifier, _, target = rest.partition(".")
        spent = [self._cookie(name, "", 0)]
        if not state or not secrets.compare_digest(began.encode(), state.encode()):
            return self._begin_again("This sign-in did not start in this browser, or it took too long.")
        if query.get("iss") != self._service:
            return self._begin_again("The answer did not come from the expected service.", spent)
        page_wanted = own_path(decode_target(target))
        if query.get("error") == "unmet_authentication_requirements":
            return self._without_second_factor(page_wanted, spent)
        if "error" in query:
            return self._begin_again(f"The sign-in was not completed: {query.get('error_description', query['error'])}", spent)
        fields = {
            "grant_type": "authorization_code",
            "code": query.get("code", ""),
            "redirect_uri": self._return_address,
            "code_verifier": verifier,
        }
        status, reply = self._post("token_endpoint", fields)
        if status == 400:
            return self._begin_again("The sign-in took too long, or its answer was already used.", spent)
        if status != 200:
            raise Unreachable(f"{status} {reply.get('error', '')}")
        return redirect(page_wanted, [*spent, self._cookie(self._name % "check", reply["access_token"])])

    def _without_second_factor(self, page_wanted, spent):
        onwards = urlencode({"client_id": self._client_id, "target_link_uri": self._origin + page_wanted})
        add = f"{self._service}/account/second-factor?" + urlencode({"next": f"{urlsplit(self._service).path}/continue?{onwards}"})
        text = "Your account has none yet. Add one; afterwards you can continue here."
        return page(403, "This page requires a second factor", text, (add, "Add a second factor"), spent)

    def _sign_out(self, environ):
        if environ["REQUEST_METHOD"] != "POST":
            text = "Opening a link does not sign you out. Go back and press the button."
            return page(405, "Use the sign-out button", text, headers=[("Allow", "POST")])
        if not is_own_origin(environ, self._origin, otherwise=True):
            return problem(403, "foreign-origin", "Only this application's own pages may sign people out.")
        gone = [self._cookie(self._name % "check", "", 0)]
        token = self._check_token(environ)
        if token is None:
            return redirect(self._signed_out_address or "/", gone)
        try:
            account = self._recognise(token, True)
            if account is None:
                return redirect(self._signed_out_address or "/", gone)
            self._post("revocation_endpoint", {"token": token})
            fields = {"client_id": self._client_id, "logout_hint": account.get("sid", "")}
            if self._signed_out_address is not None:
                fields["post_logout_redirect_uri"] = self._signed_out_address
            return redirect(f"{self._endpoint('end_session_endpoint')}?{urlencode(fields)}", gone)
        except Unreachable as away:
            return self._unreachable(environ, away, gone)
        finally:
            with self._lock:
                self._kept.pop(hashlib.sha256(token.encode()).digest(), None)

    def _begin_again(self, why, cookies=()):
        return page(400, "Please sign in again", f"{why} Please try again.", (self._paths["sign_in"] + "?next=%2F", "Sign in"), cookies)

    def _unreachable(self, environ, away, cookies=()):
        say(away)
        again = [("Retry-After", "5")]
        if not is_page(environ):
            return problem(503, "storage-unavailable", "Lucchetto cannot be asked who this is. Try again in a moment.", again)
        text = "We can’t check who you are right now. Please try again in a moment."
        return page(503, "One moment, please", text, cookies=cookies, headers=again)

    # Lucchetto, asked

    def _endpoint(self, name):
        """From the metadata (RFC 8414), which is read once."""
        if self._metadata is None:
            parts = urlsplit(self._calls_to)
            metadata = read_json(f"{parts.scheme}://{parts.netloc}/.well-known/oauth-authorization-server{parts.path}")[1]
            if metadata.get("issuer") != self._service:
                raise Unreachable(f"{self._calls_to} speaks for {metadata.get('issuer')}, not for {self._service}")
            self._metadata = metadata
        return self._metadata[name]

    def _post(self, endpoint, fields):
        """A form, with the application's credentials as HTTP Basic (RFC 6749 section 2.3.1)."""
        address = self._calls_to + self._endpoint(endpoint)[len(self._service) :]
        headers = {
            "Authorization": f"Basic {self._credentials}",
            "Content-Type": "application/x-www-form-urlencoded",
            "Accept": "application/json",
        }
        return read_json(Request(address, urlencode(fields).encode(), headers))

    # Cookies

    def _cookie(self, name, value, max_age=None):
        life = "" if max_age is None else f"; Max-Age={max_age}"
        return f"{name}={value}; Path=/; HttpOnly; SameSite=Lax{life}{'; Secure' if self._secure else ''}"

    def _check_token(self, environ):
        token = cookies_of(environ).get(self._name % "check", "")
        return token if re.fullmatch(r"lck_[A-Za-z0-9_-]{43}", token) else None


# What is wanted


def assert_wanted(wanted):
    unknown = set(wanted) - {"label", "level", "fresh_within"}
    if unknown:
        raise ValueError(f"{unknown.pop()}: unknown; expected label, level or fresh_within")
    label = wanted.get("label", "x")
    names = [label] if isinstance(label, str) else (label.get("any") or label.get("all") or []) if isinstance(label, dict) and len(label) == 1 else []
    if not names or not all(isinstance(name, str) and name for name in names):
        raise ValueError(f'label: found {label!r}, expected a label, {{"any": [...]}} or {{"all": [...]}}')
    if wanted.get("level", 1) not in (1, 2):
        raise ValueError(f"level: found {wanted['level']!r}, expected 1 or 2")
    if not wanted.get("fresh_within", MIN_FRESH) >= MIN_FRESH:
        raise ValueError(f"fresh_within: expected at least {MIN_FRESH} seconds")


def first_unmet(account, wanted):
    in_session = "sid" in account
    if not in_session and (wanted.get("level") == 2 or "fresh_within" in wanted):
        return "session"
    label = wanted.get("label")
    if label is not None:
        labels = set(account["labels"])
        met = label in labels if isinstance(label, str) else bool(labels & set(label["any"])) if "any" in label else labels >= set(label["all"])
        if not met:
            return "label"
    if wanted.get("level") == 2 and account["acr"] != "aal2":
        return "level"
    if "fresh_within" in wanted and account["checked_at"] - account["auth_time"] > wanted["fresh_within"]:
        return "freshness"
    return None


def step_up(wanted):
    """The same as parameters of an authorization request (RFC 9470 section 4)."""
    level = {"acr_values": "aal2"} if wanted.get("level") == 2 else {}
    return {**level, **({"max_age": str(int(wanted["fresh_within"]))} if "fresh_within" in wanted else {})}


# Which paths are closed: in every reading that a server, a proxy or a router might take


def read_guard(closed, open_paths):
    """What is wanted at a request, all of it, as a list; an empty one where it is open."""
    if open_paths is not None and closed:
        raise ValueError("closed and open: one of them")
    if open_paths is not None:
        patterns = [matcher(pattern, lambda path: path) for pattern in open_paths]
        return lambda environ: [] if all(
            is_plain(target) and any(matches(target) for matches in patterns) for target in (path_of(environ), *raw_paths(environ))
        ) else [{}]
    entries = []
    for one in closed:
        wanted = dict(one) if isinstance(one, dict) else {"path": one}
        pattern = wanted.pop("path")
        assert_wanted(wanted)
        entries.append((matcher(pattern, cleaned), wanted))

    def guard(environ):
        found = [readings_of(target) for target in {path_of(environ), environ.get("PATH_INFO", ""), *raw_paths(environ)}]
        if None in found:
            return [wanted for _, wanted in entries]
        readings = set().union(*found)
        return [wanted for matches, wanted in entries if any(map(matches, readings))]

    return guard


def matcher(pattern, read):
    if not re.fullmatch(r"/(?:[^*?#\s]*|[^*?#\s]*/\*)", pattern):
        raise ValueError(f"{pattern!r} is no path such as /members or /members/*")
    if not pattern.endswith("/*"):
        return lambda path: path == read(pattern)
    above = read(pattern[:-2])
    return lambda path: path == above or path.startswith("/" if above == "/" else above + "/")


def is_plain(path):
    """Nothing in it that one reader takes for one path and another reader for another."""
    return re.fullmatch(r"/[\x21-\x7e]*", path) is not None and not re.search(r"[%\\;#?]|//|(?:^|/)\.{1,2}(?:/|$)", path)


def raw_paths(environ):
    """As the browser wrote it, where the server says so."""
    return [environ[name].split("?", 1)[0] for name in ("RAW_URI", "REQUEST_URI") if name in environ]


def readings_of(target):
    """Every path that some reader might take a target for, in small letters; None: too many."""
    if is_plain(target):
        return {cleaned(target)}
    if len(target) > MAX_ODD_LENGTH:
        return None
    readings, fresh = set(), {target.lower()}
    for _ in range(MAX_TURNS + 1):
        readings |= fresh
        if len(readings) > MAX_READINGS:
            return None
        fresh = {step(text) for text in fresh for step in STEPS} - readings
    return None if fresh else {cleaned(text) for text in readings}


def decode_leniently(text):
    """Decodes what can be decoded; of what is no UTF-8 only what is ASCII, as most servers do. Bytes that came as they are are Latin-1."""

    def decode(match):
        try:
            return unquote_to_bytes(match[0]).decode()
        except UnicodeDecodeError:
            return re.sub(r"%[0-7][0-9a-fA-F]", lambda one: unquote_to_bytes(one[0]).decode(), match[0])

    try:
        text = text.encode("latin-1").decode()
    except UnicodeError:
        pass
    return re.sub(r"(?:%[0-9a-fA-F]{2})+", decode, text).lower()


def other_form(pattern):
    def step(text):
        found = re.match(pattern, text)
        return found[1] if found else text

    return step


def resolved(dots):
    """Dot segments taken for steps; encoded ones are not by everybody."""

    def step(text):
        names = []
        for name in text.split("/")[1:]:
            if not re.fullmatch(dots, name):
                names.append(name)
            elif name.replace("%2e", ".") == ".." and names:
                names.pop()
        return "/" + "/".join(names)

    return step


# What readers make of a path, one step at a time.
STEPS = [
    decode_leniently,
    # In absolute form (RFC 9112 section 3.2.2), and //host/path, which some take for another host and others for a path.
    other_form(r"[a-z][a-z0-9+.-]*:[/\\]*[^/\\?#]*([^?#]*)"),
    other_form(r"[a-z][a-z0-9+.-]*:([^?#]*)"),
    other_form(r"[/\\]{2,}[^/\\?#]*([^?#]*)"),
    # What comes out of an encoding may end the path for whoever reads on.
    lambda text: re.split("[?#]", text, maxsplit=1)[0],
    lambda text: text.split(";", 1)[0],
    lambda text: re.sub(";[^/]*", "", text),
    lambda text: text.replace("\\", "/"),
    lambda text: re.sub("/+", "/", text),
    resolved(r"\.{1,2}"),
    resolved(r"(?:\.|%2e){1,2}"),
]


def cleaned(path):
    """As patterns are read, and plain paths."""
    return "/" + "/".join(name for name in path.lower().split("/") if name not in ("", "."))


# Requests


def path_of(environ):
    """WSGI gives bytes as if they were Latin-1 (PEP 3333); paths are UTF-8."""
    whole = (environ.get("SCRIPT_NAME", "") + environ.get("PATH_INFO", "")) or "/"
    try:
        return whole.encode("latin-1").decode()
    except UnicodeError:
        return whole


def target_of(environ):
    path = quote_path(environ.get("SCRIPT_NAME", "") + environ.get("PATH_INFO", ""))
    query = environ.get("QUERY_STRING", "")
    return own_path(path + (f"?{query}" if query else ""))


def quote_path(path):
    return re.sub(r"[^A-Za-z0-9/._~!$&'()*+,;=:@-]", lambda one: "".join(f"%{byte:02X}" for byte in one[0].encode("latin-1", "replace")), path)


def own_path(text):
    """A path of this application that is safe to be sent to; "/" for anything else."""
    is_safe = text is not None and re.fullmatch(r"/(?!/)[\x21-\x5b\x5d-\x7e]*", text) and not resolved_begins_outside(text)
    return text if is_safe else "/"


def resolved_begins_outside(text):
    """Whether dot segments would leave two slashes at the start, which name another host."""
    return re.match(r"(?:/|/\.{1,2}|/%2e|/\.%2e|/%2e\.|/%2e%2e)+/", text, re.I) is not None


def decode_target(text):
    try:
        return base64.urlsafe_b64decode(text + "=" * (-len(text) % 4)).decode()
    except ValueError:
        return None


def is_reading(environ):
    return environ["REQUEST_METHOD"] in ("GET", "HEAD") and "HTTP_UPGRADE" not in environ


def is_page(environ):
    return "text/html" in environ.get("HTTP_ACCEPT", "")


def is_own_origin(environ, origin, otherwise):
    """Whether a browser says that a page of this application asked; `otherwise` where no browser says anything."""
    if "HTTP_ORIGIN" in environ:
        return environ["HTTP_ORIGIN"] == origin
    site = environ.get("HTTP_SEC_FETCH_SITE")
    return otherwise if site is None else site == "same-origin"


def access_key(environ):
    found = re.fullmatch(r"(?i:Bearer) +(lca_[A-Za-z0-9._~+/=-]+)", environ.get("HTTP_AUTHORIZATION", ""))
    return found[1] if found else None


def cookies_of(environ):
    """Read one by one: a cookie that somebody wrote wrongly takes none of the others away."""
    found = {}
    for pair in environ.get("HTTP_COOKIE", "").split(";"):
        name, _, value = pair.strip().partition("=")
        found.setdefault(name, value)
    return found


# Answers


class Answer:
    def __init__(self, status, headers, body=""):
        self._status, self._body = status, body.encode()
        self._headers = [*headers, ("Cache-Control", "no-store"), ("Referrer-Policy", "no-referrer"), ("Content-Length", str(len(self._body)))]

    def send(self, environ, start_response):
        start_response(f"{self._status} {REASONS[self._status]}", self._headers)
        return [] if environ["REQUEST_METHOD"] == "HEAD" else [self._body]


REASONS = {
    303: "See Other",
    400: "Bad Request",
    401: "Unauthorized",
    403: "Forbidden",
    405: "Method Not Allowed",
    503: "Service Unavailable",
}


def redirect(address, cookies=()):
    return Answer(303, [("Location", address), *(("Set-Cookie", cookie) for cookie in cookies)])


def problem(status, code, detail, headers=()):
    """For programs (RFC 9457)."""
    body = json.dumps({"code": code, "title": REASONS[status], "status": status, "detail": detail})
    return Answer(status, [("Content-Type", "application/problem+json"), *headers], body)


def page(status, title, text, link=None, cookies=(), headers=()):
    """One thing to say and one thing to do; the words and the look are yours to change."""
    way = "" if link is None else f'<p><a href="{html.escape(link[0])}">{html.escape(link[1])}</a></p>'
    body = f"<!doctype html><html lang=en><meta charset=utf-8><title>{html.escape(title)}</title><h1>{html.escape(title)}</h1><p>{html.escape(text)}</p>{way}"
    sent = [("Content-Type", "text/html; charset=utf-8"), ("Content-Security-Policy", "default-src 'none'; frame-ancestors 'none'")]
    return Answer(status, [*sent, *(("Set-Cookie", cookie) for cookie in cookies), *headers], body)


def unkept(start_response):
    """A closed page is kept by no browser, where the back button would show it after signing out."""

    def start(status, headers, exc_info=None):
        kept = [pair for pair in headers if pair[0].lower() != "cache-control"]
        return start_response(status, [*kept, ("Cache-Control", "no-store")], exc_info)

    return start


def read_json(request):
    try:
        with urlopen(request, timeout=TIMEOUT) as reply:
            text = reply.read()
            return reply.status, json.loads(text) if text else {}
    except HTTPError as refusal:
        try:
            return refusal.code, json.loads(refusal.read() or b"{}")
        except ValueError:
            return refusal.code, {}
    except (OSError, ValueError) as fault:
        raise Unreachable(f"Lucchetto gave no answer: {fault}") from fault


def say(fault):
    print(f"hasp: who is there was not told: {fault}", file=sys.stderr, flush=True)
