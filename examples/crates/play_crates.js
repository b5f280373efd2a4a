/* Crates on the quay: a small game on matter-js in Node, recorded over a socket.
 *
 * A crane drops a crate on a free lane of the quay every two seconds, or up to a second later. The moment a crate
 * lands, a porter is rung for, who takes it away four seconds later. Whatever passes the sensor above the quay is
 * weighed.
 *
 *     breadcrumb listen --out traces        in one terminal, and in another:
 *     npm install
 *     node play_crates.js
 *     breadcrumb check check_crates.py traces
 *
 * `--seed 3` plays another session, and `--change GRAVITY=0.5` a build with another constant.
 */
"use strict";

const {parseArgs} = require("util");
const {Bodies, Composite, Engine, Events} = require("matter-js");
const breadcrumb = require("../../clients/javascript/breadcrumb-sender.js");

const FRAMES_A_SECOND = 60;
const SIZE = 30; // px
const LANES = [75, 165, 255, 345, 435, 525]; // px
const LATE = 0.3; // the share of the crates that come late

/** What a build of the game may do differently. */
const tuning = {GRAVITY: 1, DROP_EVERY: 2, STAYS: 4, RINGS: 1};

/** Return what draws numbers from 0 to 1, the same ones for each seed, by a linear congruence modulo 2 ** 32. */
function drawer(seed) {
  let state = seed >>> 0;
  return () => (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 2 ** 32;
}

class Quay {
  constructor(seed) {
    this.frame = 0;
    this._draw = drawer(seed);
    this._nextDrop = FRAMES_A_SECOND / 2;
    this.crates = new Map(); // by id
    this.happened = []; // events of this frame, in their order
    this._number = 0;
    this._engine = Engine.create();
    this._engine.gravity.y = tuning.GRAVITY;
    const quay = Bodies.rectangle(300, 420, 600, 40, {isStatic: true, label: "quay"});
    const scale = Bodies.rectangle(300, 250, 600, 10, {isStatic: true, isSensor: true, label: "scale"});
    Composite.add(this._engine.world, [quay, scale]);
    Events.on(this._engine, "collisionStart", ({pairs}) => this._touch(pairs, "begin"));
    Events.on(this._engine, "collisionEnd", ({pairs}) => this._touch(pairs, "end"));
  }

  /** Play one frame. */
  update() {
    for (const [id, crate] of this.crates) {
      if (crate.landed !== null && this.frame - crate.landed >= tuning.STAYS * FRAMES_A_SECOND) this._takeAway(id);
    }
    if (this.frame === this._nextDrop) this._drop();
    Engine.update(this._engine, 1000 / FRAMES_A_SECOND);
    this.frame += 1;
  }

  /** Call what is given after each step of the engine. */
  afterUpdate(call) {
    Events.on(this._engine, "afterUpdate", call);
  }

  _drop() {
    this._number += 1;
    const id = `crate-${this._number}`;
    const taken = new Set([...this.crates.values()].map(({body}) => Math.round(body.position.x)));
    const free = LANES.filter(lane => !taken.has(lane));
    const lane = free[Math.floor(this._draw() * free.length)];
    const late = this._draw() < LATE ? Math.floor(this._draw() * FRAMES_A_SECOND) : 0;
    this._nextDrop = this.frame + tuning.DROP_EVERY * FRAMES_A_SECOND + late;
    const body = Bodies.rectangle(lane, 60, SIZE, SIZE, {label: id, restitution: 0.2});
    this.crates.set(id, {body, landed: null});
    Composite.add(this._engine.world, body);
    this.happened.push(["crate.dropped", {by: "crane", on: id, data: {lane}}]);
  }

  _takeAway(id) {
    Composite.remove(this._engine.world, this.crates.get(id).body);
    this.crates.delete(id);
    this.happened.push(["crate.taken", {by: "porter", on: id}]);
  }

  _touch(pairs, when) {
    for (const {bodyA, bodyB, isSensor} of pairs) {
      const [id, other] = this.crates.has(bodyA.label) ? [bodyA.label, bodyB.label] : [bodyB.label, bodyA.label];
      const crate = this.crates.get(id);
      if (crate === undefined) continue;
      this.happened.push([`${isSensor ? "sensor" : "contact"}.${when}`, {by: id, on: other}]);
      if (other === "quay" && when === "begin" && crate.landed === null) {
        crate.landed = this.frame;
        for (let n = 0; n < tuning.RINGS; n += 1) this.happened.push(["porter.rung", {by: id}]);
      }
    }
  }
}

/** Play a session, and send each frame after the engine's step. */
async function play(seconds, port, seed) {
  const about = {
    game: "Crates",
    build: "matter-js 0.20",
    seed,
    moment: "after physics",
    fixed_step: 1 / FRAMES_A_SECOND,
    axes: {x: "right", y: "down"},
    angles: {unit: "rad", zero: "right", sense: "clockwise"},
    units: {position: "px", velocity: "px/s", angle: "rad"},
    shapes: {crate: {box: [SIZE, SIZE], turn: "angle"}},
    declare: {
      kinds: ["crate"],
      events: ["crate.dropped", "crate.taken", "porter.rung"]
        .concat(["contact.begin", "contact.end", "sensor.begin", "sensor.end"]),
    },
  };
  const session = breadcrumb.openSession(about, {port, fallback: "crates.jsonl"});
  const quay = new Quay(seed);
  let sent = new Set();
  quay.afterUpdate(() => {
    const present = new Set(quay.crates.keys());
    for (const id of sent) if (!present.has(id)) session.leave(id);
    for (const [id, {body}] of quay.crates) {
      if (!sent.has(id)) session.appear(id, "crate");
      const {position, velocity, angle} = body;
      session.state(id, {
        position: [position.x, position.y],
        velocity: [velocity.x * FRAMES_A_SECOND, velocity.y * FRAMES_A_SECOND],
        angle,
      });
    }
    sent = present;
    for (const [name, about] of quay.happened) session.event(name, about);
    quay.happened = [];
    session.frame(quay.frame, quay.frame / FRAMES_A_SECOND);
  });
  for (let n = 0; n < seconds * FRAMES_A_SECOND; n += 1) quay.update();
  await session.close();
  if (session.problem) console.error(`${session.problem}; the session is in crates.jsonl`);
}

const {values} = parseArgs({
  options: {
    port: {type: "string", default: "26937"},
    seconds: {type: "string", default: "60"},
    seed: {type: "string", default: "7"},
    change: {type: "string", multiple: true, default: []},
  },
});
for (const change of values.change) {
  const [name, value] = change.split("=");
  if (!(name in tuning)) throw new Error(`${name} is none of ${Object.keys(tuning).join(", ")}`);
  tuning[name] = Number(value);
}
play(Number(values.seconds), Number(values.port), Number(values.seed));
