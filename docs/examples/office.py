"""An application's server at work on accounts (`lucchetto app add --rights accounts`), with Python's own library alone.

    LUCCHETTO=https://accounts.brina.example CLIENT_ID=hut-book APP_KEY=lcp_... \
        python3 office.py ada@brina.example M-1042
"""

import base64
import json
import os
import sys
import urllib.error
import urllib.parse
import urllib.request


def call(method, path, body=None):
    """The reply's JSON; exits with what was wrong and what to do otherwise."""
    key = f"{urllib.parse.quote_plus(os.environ['CLIENT_ID'])}:{urllib.parse.quote_plus(os.environ['APP_KEY'])}"
    request = urllib.request.Request(
        os.environ["LUCCHETTO"] + path,
        method=method,
        data=None if body is None else json.dumps(body).encode(),
        headers={
            "Authorization": "Basic " + base64.b64encode(key.encode()).decode(),
            "Accept": "application/json",
            **({} if body is None else {"Content-Type": "application/json"}),
        },
    )
    try:
        with urllib.request.urlopen(request, timeout=10) as reply:
            return json.load(reply)
    except urllib.error.HTTPError as refused:
        problem = json.load(refused)
        sys.exit(f"{problem['code']}: {problem['detail']}")


address, number = sys.argv[1:3]

found = call("GET", "/v1/app/accounts?" + urllib.parse.urlencode({"search": number}))["items"]
member = found[0] if found else call("POST", "/v1/app/invitations", {"email": address, "reference": number})
member = call("PATCH", f"/v1/app/accounts/{member['id']}", {"labels": ["keeper"]})
print(json.dumps({name: member[name] for name in ("email", "reference", "state", "labels")}))
