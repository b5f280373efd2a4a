// Give the sender for JavaScript the calls of a script: one in each line of the standard input, as JSON.
"use strict";
const [, , senderPath, port, fallback] = process.argv;
const breadcrumb = require(senderPath);
const revive = (key, value) => (value && typeof value === "object" && "non-finite" in value ? Number(value["non-finite"]) : value);
const calls = require("fs").readFileSync(0, "utf8").trim().split("\n").map((text) => JSON.parse(text, revive));
let session = null;
const make = {
  open: ({about}) => (session = breadcrumb.openSession(about, {port: Number(port), fallback})),
  appear: ({id, kind, parent}) => session.appear(id, kind, parent),
  leave: ({id}) => session.leave(id),
  state: ({id, properties}) => session.state(id, properties),
  event: ({name, by, on, data}) => session.event(name, {by, on, data}),
  frame: ({number, t}) => session.frame(number, t),
  close: () => session.close().then(() => console.log(JSON.stringify({lost: session.lost, problem: session.problem}))),
};
for (const {call, ...args} of calls) make[call](args);
