/**
 * A mail server that keeps to whom it got what: says its port, then all when asked. It falls as it is told: `hang` takes a
 * mail and never answers, `refuse` says that it is not now, `cut` ends the connection in the middle of a mail.
 */
import { SMTPServer } from "smtp-server";

const accepted = [];
let mode = "well";
const server = new SMTPServer({
  disabledCommands: ["AUTH", "STARTTLS"],
  closeTimeout: 1,
  onMailFrom(_address, _session, done) {
    done(mode === "refuse" ? Object.assign(new Error("not now"), { responseCode: 451 }) : null);
  },
  onData(stream, { envelope }, done) {
    let text = "";
    stream.on("data", (chunk) => {
      text += chunk.toString("latin1");
      if (mode === "cut") for (const connection of server.connections) connection._socket.destroy();
    });
    stream.on("end", () => {
      if (mode !== "well") return;
      const id = /^message-id: *(\S+)/im.exec(text)?.[1] ?? "";
      const subject = /^subject: *(.*)/im.exec(text)?.[1] ?? "";
      accepted.push({ to: envelope.rcptTo[0].address, id, subject });
      done(null, "kept");
    });
  },
});
server.on("error", () => undefined);
server.listen(0, "127.0.0.1", () => process.send(server.server.address().port));
process.on("message", (told) => {
  if (told === "what") process.send(accepted);
  else mode = told;
});
process.on("disconnect", () => process.exit(0));
