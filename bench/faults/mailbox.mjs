/** A mail server that keeps to whom it got what: says its port, then all when asked. */
import { SMTPServer } from "smtp-server";

const accepted = [];
const server = new SMTPServer({
  disabledCommands: ["AUTH", "STARTTLS"],
  closeTimeout: 1,
  onData(stream, { envelope }, done) {
    let text = "";
    stream.on("data", (chunk) => (text += chunk.toString("latin1")));
    stream.on("end", () => {
      const id = /^message-id: *(\S+)/im.exec(text)?.[1] ?? "";
      const subject = /^subject: *(.*)/im.exec(text)?.[1] ?? "";
      accepted.push({ to: envelope.rcptTo[0].address, id, subject });
      done(null, "kept");
    });
  },
});
server.listen(0, "127.0.0.1", () => process.send(server.server.address().port));
process.on("message", () => process.send(accepted));
process.on("disconnect", () => process.exit(0));
