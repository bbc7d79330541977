/** A mail server that accepts everything and counts it, for benchmarks. Says its port, then the count when asked. */
import { SMTPServer } from "smtp-server";

let accepted = 0;
const server = new SMTPServer({
  disabledCommands: ["AUTH", "STARTTLS"],
  onData(stream, _session, done) {
    stream.resume();
    stream.on("end", () => {
      accepted += 1;
      done(null, "kept");
    });
  },
});
server.listen(0, "127.0.0.1", () => process.send(server.server.address().port));
process.on("message", () => process.send(accepted));
process.on("disconnect", () => server.close());
