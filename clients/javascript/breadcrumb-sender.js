/* Send frame lines from a game in JavaScript: one file, no dependencies, for browsers and Node.
 *
 *     const session = breadcrumb.openSession({game: "Lantern Bay"}, {fallback: "night.jsonl"});
 *     session.appear("heron", "skiff");
 *     session.state("heron", {position: [0, 0], lit: true});
 *     session.event("bell.rung", {by: "heron"});
 *     session.frame(0, 0.0);
 *     await session.close();
 *
 * In a browser, <script src="breadcrumb-sender.js"> makes `breadcrumb`; in Node, require("./breadcrumb-sender.js") gives it.
 *
 * Lines go to `breadcrumb listen`: over a WebSocket in a browser, over TCP in Node. If nobody listens, or stops to, Node
 * goes on in the fallback file, and a browser tries again every second; both begin a session anew there, so that each
 * part is whole. No call throws into the game or waits for the network. A frame for which there is no room is counted in
 * `session.lost`; what it would have told is told by the next one.
 */
"use strict";

(function (root) {
  const HOST = "127.0.0.1";
  const PORT = 26937;
  const MOST_WAITING = 64 * 1024 * 1024; // characters
  const TRY_AGAIN_AFTER = 1000; // milliseconds
  const TIME_TO_CLOSE = 10000;

  const node = typeof module === "object" && typeof require === "function";

  class Session {
    constructor(about, options) {
      this.lost = 0; // calls and frames that could not be sent
      this.problem = ""; // what was last wrong
      this._options = {host: HOST, port: PORT, ...options};
      const token = this._options.token;
      const head = [["breadcrumb", "2"], ["about", encode(about)]];
      this._header = line([...head, ...(token ? [["token", encode(token)]] : [])]);
      this._headerOfFiles = line(head); // the token is no file's business
      this._lifetimes = 0;
      this._alive = new Map(); // by id: the lifetime's number and the text of what appears
      this._known = new Map(); // by id: the properties as last told, each as text
      this._told = new Map(); // by id: the number of the lifetime that the other side knows
      this._waiting = []; // lines that nobody has taken yet
      this._size = 0;
      this._begins = true;
      this._gap = false;
      this._closed = null;
      this._givesUp = Infinity; // when a browser tries no more, once the session is closed
      this._out = null;
      this._clear();
      this._safely(() => this._connect());
    }

    /** Say that an object is there from this frame on. */
    appear(id, kind, parent = null) {
      this._safely(() => {
        const parts = [["id", encode(id)], ["kind", encode(kind)]];
        if (parent !== null) parts.push(["parent", encode(parent)]);
        const one = object(parts);
        this._lifetimes += 1;
        this._alive.set(id, {lifetime: this._lifetimes, one});
        this._known.set(id, new Map());
        this._appeared.push(one);
      });
    }

    /** Say that an object is gone on this frame. */
    leave(id) {
      this._safely(() => {
        if (!this._alive.delete(id)) throw new Error(`${id} is not there`);
        this._known.delete(id);
        this._changed.delete(id);
        this._left.push(id);
      });
    }

    /** Say what changed of an object: properties by name. */
    state(id, properties) {
      this._safely(() => {
        const known = this._known.get(id);
        if (known === undefined) throw new Error(`${id} is not there`);
        if (!this._changed.has(id)) this._changed.set(id, new Map());
        const changed = this._changed.get(id);
        for (const [name, value] of Object.entries(properties)) {
          const text = encode(value);
          known.set(name, text);
          changed.set(name, text);
        }
      });
    }

    /** Say that something happened: who did it, to whom, and what else there is to know. */
    event(name, {by = null, on = null, data = null} = {}) {
      this._safely(() => {
        const parts = [["name", name], ["by", by], ["on", on], ["data", data]];
        this._events.push(object(parts.filter(([, value]) => value !== null).map(([key, value]) => [key, encode(value)])));
      });
    }

    /** End a frame. */
    frame(number, t) {
      this._safely(() => {
        try {
          this._send(number, t);
        } catch (error) {
          this._gap = true; // what was in this frame has to be told by the next one
          throw error;
        } finally {
          this._clear();
        }
      });
    }

    /** End the session; the promise is kept when all is sent, or when that takes too long. It never fails. */
    close() {
      return new Promise((resolve) => {
        this._safely(() => {
          const late = setTimeout(resolve, TIME_TO_CLOSE);
          this._givesUp = node ? 0 : Date.now() + TIME_TO_CLOSE;
          this._closed = () => {
            clearTimeout(late);
            resolve();
          };
          this._put(line([["end", "true"], ...(this.lost ? [["lost", encode(this.lost)]] : [])]));
          if (this._out !== null) this._out.end();
        });
      });
    }

    _send(number, t) {
      if (this._size + (this._out === null ? 0 : this._out.waiting()) > MOST_WAITING) throw new Error("no room");
      const parts = [["frame", encode(number)], ["t", encode(t)], ...this._told_now()];
      this._put((this._begins ? this._header : "") + line(parts));
      this._told = new Map([...this._alive].map(([id, {lifetime}]) => [id, lifetime]));
      this._begins = this._gap = false;
    }

    /** Return what this frame tells; behind a gap that is all that the other side does not know. */
    _told_now() {
      let appeared = this._appeared;
      let left = this._left;
      let changed = this._changed;
      if (this._begins) this._told = new Map();
      if (this._gap) {
        const isNews = (id, lifetime) => this._told.get(id) !== lifetime;
        appeared = [...this._alive].filter(([id, {lifetime}]) => isNews(id, lifetime)).map(([, {one}]) => one);
        left = [...this._told].filter(([id, lifetime]) => (this._alive.get(id) || {}).lifetime !== lifetime).map(([id]) => id);
        changed = this._known;
      }
      const told = [];
      if (appeared.length) told.push(["appear", `[${appeared.join(",")}]`]);
      if (left.length) told.push(["leave", encode(left)]);
      if (changed.size) told.push(["state", object([...changed].map(([id, props]) => [id, object([...props])]))]);
      if (this._events.length) told.push(["events", `[${this._events.join(",")}]`]);
      return told;
    }

    _clear() {
      this._appeared = [];
      this._left = [];
      this._changed = new Map();
      this._events = [];
    }

    _put(text) {
      if (this._out !== null) {
        this._out.write(text);
      } else {
        this._waiting.push(text);
        this._size += text.length;
      }
    }

    _safely(call) {
      try {
        call();
      } catch (error) {
        // whatever the game hands over, or the system says: the game plays on
        this.lost += 1;
        this.problem = String(error);
      }
    }

    _connect() {
      const open = node ? openTcp : openWebSocket;
      open(this._options, {
        ready: (out) => this._safely(() => this._take(out)),
        answered: (text) => {
          if (text.includes('"error"')) this.problem = text;
        },
        gone: (wasReady) => this._safely(() => this._fallBack(wasReady)),
      });
    }

    /** Give an outlet all that waits, and whatever comes from now on. */
    _take(out) {
      this._out = out;
      const waiting = this._waiting;
      this._waiting = [];
      this._size = 0;
      for (const text of waiting) out.write(text);
      if (this._closed !== null) out.end();
    }

    /** Go on elsewhere: what was told so far is with whoever was there, so a session begins anew. */
    _fallBack(wasReady) {
      this._out = null;
      if (wasReady && this._closed !== null) {
        this._closed();
        return;
      }
      if (wasReady) this._begins = this._gap = true;
      if (node && this._options.fallback) {
        const out = openFile(this._options.fallback, () => this._closed && this._closed());
        const begins = (text) => text.startsWith(this._header);
        const cleaned = (text) => (begins(text) ? this._headerOfFiles + text.slice(this._header.length) : text);
        this._take({...out, write: (text) => out.write(cleaned(text))});
      } else if (Date.now() < this._givesUp) {
        const timer = setTimeout(() => this._safely(() => this._connect()), TRY_AGAIN_AFTER);
        if (timer.unref) timer.unref();
      } else {
        this.lost += this._waiting.length;
        this._closed();
      }
    }
  }

  // Outlets: write(text), end(), and waiting() for how much the system has not taken yet

  function openTcp({host, port}, {ready, answered, gone}) {
    let isReady = false;
    const socket = require("net").connect({host, port});
    socket.setNoDelay(true);
    socket.setEncoding("utf8");
    socket.on("connect", () => {
      isReady = true;
      ready({write: (text) => socket.write(text), end: () => socket.end(), waiting: () => socket.writableLength});
    });
    socket.on("data", answered);
    socket.on("error", () => {}); // "close" follows
    socket.on("close", () => gone(isReady));
    socket.on("end", () => socket.end());
  }

  function openWebSocket({host, port}, {ready, answered, gone}) {
    let isReady = false;
    const socket = new WebSocket(`ws://${host}:${port}`);
    socket.onopen = () => {
      isReady = true;
      // the listener hangs up when it has taken the last line
      ready({write: (text) => socket.send(text), end: () => {}, waiting: () => socket.bufferedAmount});
    };
    socket.onmessage = (message) => answered(String(message.data));
    socket.onclose = () => gone(isReady);
  }

  function openFile(path, ended) {
    const fs = require("fs");
    const file = fs.openSync(path, "w");
    return {
      write: (text) => fs.writeSync(file, text),
      end: () => {
        fs.closeSync(file);
        ended();
      },
      waiting: () => 0,
    };
  }

  // Text: JSON that keeps the sign of zero, and names the numbers that JSON does not have

  function encode(value) {
    if (value === null || value === undefined) return "null";
    if (typeof value === "number") return encodeNumber(value);
    if (typeof value === "boolean" || typeof value === "bigint") return String(value);
    if (typeof value === "string") return JSON.stringify(value.replace(LONE_SURROGATE, "\ufffd"));
    if (Array.isArray(value) || ArrayBuffer.isView(value)) return `[${Array.from(value, encode).join(",")}]`;
    if (typeof value === "object") return object(Object.entries(value).map(([key, one]) => [key, encode(one)]));
    throw new TypeError(`expected plain data, found a ${typeof value}`);
  }

  const LONE_SURROGATE = /[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g;

  function encodeNumber(value) {
    if (Number.isFinite(value)) return Object.is(value, -0) ? "-0.0" : String(value);
    return Number.isNaN(value) ? '"NaN"' : value > 0 ? '"Infinity"' : '"-Infinity"';
  }

  function object(parts) {
    return `{${parts.map(([key, text]) => `${encode(String(key))}:${text}`).join(",")}}`;
  }

  function line(parts) {
    return `${object(parts)}\n`;
  }

  const breadcrumb = {
    /** Begin a session: what is known of it; options are fallback (a file, in Node), host, port and token. */
    openSession: (about, options = {}) => new Session(about, options),
  };
  if (typeof module === "object") module.exports = breadcrumb;
  else root.breadcrumb = breadcrumb;
})(typeof globalThis === "object" ? globalThis : this);
