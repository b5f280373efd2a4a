/* Twenty bodies of three shapes that tumble in a box: a scene on matter-js whose contacts are held against recorded shapes.
 *
 *     breadcrumb listen --out traces        in one terminal, and in another:
 *     npm install
 *     node play_tumble.js
 *     breadcrumb check ../kegs/check_tumble.py traces
 *
 * The shapes are the engine's own, read from it once for each kind; what touches on a frame is what its events tell. Places
 * are recorded as they are when the engine looks for contacts: afterwards it moves apart what overlaps.
 */
"use strict";

const {parseArgs} = require("util");
const {Bodies, Body, Composite, Engine, Events} = require("matter-js");
const breadcrumb = require("../../clients/javascript/breadcrumb-sender.js");

const FRAMES_A_SECOND = 60;
const ROOM = 400; // px, the side of the box
const WALL = 200; // px, how thick its walls are
const KINDS = ["disc", "block", "flint"];
const BODIES = 20;
const STIRRED = 0.3; // gravity that goes round, so that nothing comes to rest

/** Return what draws numbers from 0 to 1, the same ones for each seed, by a linear congruence modulo 2 ** 32. */
function drawer(seed) {
  let state = seed >>> 0;
  return () => (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 2 ** 32;
}

/** Return a body of a kind at a place. */
function made(kind, x, y) {
  const options = {restitution: 0.9, friction: 0.1, frictionAir: 0};
  if (kind === "disc") return Bodies.circle(x, y, 18, options);
  if (kind === "block") return Bodies.rectangle(x, y, 44, 26, options);
  return Bodies.polygon(x, y, 5, 22, options);
}

/** Return the engine's shape of a body as one that is recorded: its corners, as they are when it is not turned. */
function recorded(body) {
  return {polygon: body.vertices.map(({x, y}) => [x - body.position.x, y - body.position.y]), turn: "angle"};
}

class Box {
  constructor(seed) {
    this.frame = 0;
    this.touching = new Map();
    this._engine = Engine.create();
    const draw = drawer(seed);
    this.bodies = [];
    for (let n = 0; n < BODIES; n += 1) {
      const body = made(KINDS[n % KINDS.length], 60 + (n % 5) * 70, 60 + Math.floor(n / 5) * 70);
      body.label = `${KINDS[n % KINDS.length]}-${Math.floor(n / KINDS.length) + 1}`;
      this.bodies.push(body);
    }
    this.shapes = Object.fromEntries(KINDS.map((kind, n) => [kind, recorded(this.bodies[n])]));
    for (const body of this.bodies) {
      Body.setVelocity(body, {x: draw() * 8 - 4, y: draw() * 8 - 4});
      Body.setAngularVelocity(body, draw() * 0.1 - 0.05);
    }
    const middle = ROOM / 2, away = (ROOM + WALL) / 2, long = ROOM + 2 * WALL, still = {isStatic: true, label: "wall"};
    const walls = [[0, -1], [0, 1], [-1, 0], [1, 0]].map(([x, y]) =>
      Bodies.rectangle(middle + x * away, middle + y * away, x ? WALL : long, x ? long : WALL, still));
    Composite.add(this._engine.world, [...walls, ...this.bodies]);
    Events.on(this._engine, "beforeSolve", () => { this.states = this.bodies.map(({label, position, angle}) =>
      [label, {position: [position.x, position.y], angle}]); });
    for (const when of ["collisionStart", "collisionActive"]) Events.on(this._engine, when, ({pairs}) => this._note(pairs));
  }

  /** Play one frame. */
  update() {
    const way = this.frame / FRAMES_A_SECOND;
    this._engine.gravity.x = STIRRED * Math.cos(way);
    this._engine.gravity.y = STIRRED * Math.sin(way);
    this.touching.clear();
    Engine.update(this._engine, 1000 / FRAMES_A_SECOND);
    this.frame += 1;
  }

  _note(pairs) {
    for (const {bodyA, bodyB} of pairs) {
      const two = [bodyA.label, bodyB.label].sort();
      if (!two.includes("wall")) this.touching.set(two.join(), two);
    }
  }
}

/** Play a session, and send each frame after the engine's step. */
async function play(seconds, port, seed) {
  const box = new Box(seed);
  const about = {
    game: "Tumble",
    build: "matter-js 0.20",
    seed,
    moment: "as contacts are found",
    axes: {x: "right", y: "down"},
    angles: {unit: "rad", zero: "right", sense: "clockwise"},
    units: {position: "px", angle: "rad"},
    shapes: box.shapes,
    declare: {kinds: KINDS, events: ["touch"]},
  };
  const session = breadcrumb.openSession(about, {port, fallback: "tumble.jsonl"});
  for (const {label} of box.bodies) session.appear(label, label.split("-")[0]);
  for (let n = 0; n < seconds * FRAMES_A_SECOND; n += 1) {
    box.update();
    for (const [label, state] of box.states) session.state(label, state);
    for (const [by, on] of box.touching.values()) session.event("touch", {by, on});
    session.frame(box.frame, box.frame / FRAMES_A_SECOND);
  }
  await session.close();
  if (session.problem) console.error(`${session.problem}; the session is in tumble.jsonl`);
}

const {values} = parseArgs({
  options: {
    port: {type: "string", default: "26937"},
    seconds: {type: "string", default: "60"},
    seed: {type: "string", default: "7"},
  },
});
play(Number(values.seconds), Number(values.port), Number(values.seed));
