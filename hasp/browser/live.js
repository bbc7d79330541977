/**
 * Keeps the open pages of an application true to who is signed in. Served by the hasp; used by a page with
 *
 *     <html data-session="{session id, or empty}">
 *     <script type="module" src="/hasp-live.js"></script>
 *
 * Signing in or out in one tab shows in the others at once, a session ended elsewhere within two seconds: each element
 * with the attribute `data-live` is exchanged for the same one of a fresh copy of the page, so that typed text elsewhere
 * stays. A page that is closed by then is left for the sign-in page. To do something else, listen to `hasp:session` on
 * the document and prevent its default.
 */
const eventsAddress = new URL(import.meta.url).pathname.replace(/\.js$/, "");
const root = document.documentElement;
const channel = new BroadcastChannel(eventsAddress);
const ofThisPage = () => root.dataset.session ?? "";

channel.addEventListener("message", ({ data }) => take(data));
// Pages that were opened before learn from this one who is signed in now.
channel.postMessage(ofThisPage());
// One tab holds the stream for all of them: browsers open few connections to a host.
void navigator.locks?.request(eventsAddress, () => new Promise(hold));

function hold() {
  let stream = null;
  const open = () => {
    stream?.close();
    stream = new EventSource(eventsAddress);
    stream.addEventListener("ended", () => {
      stream.close();
      channel.postMessage("");
      take("");
    });
  };
  document.addEventListener("hasp:session", open);
  open();
}

/** @param {string} session the one of this browser now; empty: nobody is signed in. */
function take(session) {
  if (session === ofThisPage()) return;
  root.dataset.session = session;
  const event = new CustomEvent("hasp:session", { detail: { session }, cancelable: true });
  if (document.dispatchEvent(event)) refresh().catch(() => location.reload());
}

async function refresh() {
  const reply = await fetch(location.href, { headers: { accept: "text/html" }, redirect: "manual" });
  // The page is closed to whoever is there now: off to where the server sends them.
  if (!reply.ok) return location.reload();
  const fresh = new DOMParser().parseFromString(await reply.text(), "text/html");
  root.dataset.session = fresh.documentElement.dataset.session ?? "";
  const [old, now] = [document, fresh].map((of) => [...of.querySelectorAll("[data-live]")]);
  if (old.length !== now.length) return location.reload();
  old.forEach((element, index) => element.replaceWith(document.adoptNode(now[index])));
}
