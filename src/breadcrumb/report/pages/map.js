"use strict";
// A picture of a session in two of its axes: bodies, where they face and go, trails, events, and what a rule judged against.
const breadcrumbMap = (canvas, session, axes, state) => {
  const COLOURS = ["#2b5fa4", "#c4432e", "#462222", "#3c8ef4", "#14218a", "#a08696", "#614155", "#e86917", "#846671", "#813605"];
  const DARK = ["#79b0ec", "#f4867a", "#f6e782", "#7bf7fc", "#9070e9", "#ae7e10", "#e0be0e", "#4f97b9", "#b6d0bb", "#db5981"];
  const MOST_TRAILS = 120, MOST_NAMES = 60, NEAR = 14, SAME = 0.75, FEW = 150, BESIDE = 400, RECENT = 0.5, AHEAD = 0.5, LONGEST_NAME = 40, TOGETHER = 64, LABELS = "12px system-ui, sans-serif";
  const paint = canvas.getContext("2d"), bodies = breadcrumbBodies, dark = matchMedia("(prefers-color-scheme: dark)");
  const style = (name) => getComputedStyle(document.documentElement).getPropertyValue(name);
  const colourOf = (kind) => (dark.matches ? DARK : COLOURS)[kind.colour % COLOURS.length];
  const view = { x: 0, y: 0, scale: 1 }, widths = new Map();
  const decimals = session.kinds.filter((kind) => kind.position && kind.position.decimals !== null).map((kind) => kind.position.decimals);
  const nearest = decimals.length ? 10 ** Math.min(...decimals) / 100 : Infinity; // places are kept finer than a hundredth of a pixel
  let ratio = 1, wide = 0, high = 0, across = axes.plan[0], upward = axes.plan[1], piece = null, drawn = [], hollow = [], taken = [], colours = {};

  const signs = [0, 1, 2].map((axis) => (axes.reversed[axis] ? -1 : 1));
  const seen = (point, axis) => (axis < point.length ? signs[axis] * point[axis] : 0);
  const toX = (x) => wide / 2 + (x - view.x) * view.scale, toY = (y) => high / 2 - (y - view.y) * view.scale;
  const pixel = (point) => [toX(seen(point, across)), toY(seen(point, upward))];
  const coordinate = (from, one, sample, axis) => (axis < one.kind.position.parts ? signs[axis] * session.valueOf(from, one, one.kind.position, axis, sample) : 0);

  function measure() {
    const box = canvas.getBoundingClientRect();
    ratio = window.devicePixelRatio || 1;
    canvas.width = Math.max(1, Math.round(box.width * ratio)); canvas.height = Math.max(1, Math.round(box.height * ratio));
    wide = canvas.width / ratio; high = canvas.height / ratio;
    colours = Object.fromEntries(["ink", "quiet", "line", "mark", "held"].map((name) => [name, style(`--${name}`)]));
  }
  function extent(axis) {
    const [low, top] = session.ends[axis];
    return signs[axis] < 0 ? [-top, -low] : [low, top];
  }
  function fit() {
    const [left, right] = extent(across), [bottom, top] = extent(upward);
    view.x = (left + right) / 2; view.y = (bottom + top) / 2;
    view.scale = 0.9 * Math.min(wide / (right - left || 1), (high - 20) / (top - bottom || 1));
  }

  function fitUp(scale) { // the middle of all, or, if that is higher than the picture, of what is there now
    const [bottom, top] = extent(upward), from = session.at(state.row);
    view.y = (bottom + top) / 2;
    if ((top - bottom) * scale < high || !from) return;
    const heights = session.placed.map((one) => [one, session.sampleOf(from, one, state.row)]).filter(([, sample]) => sample >= 0).map(([one, sample]) => coordinate(from, one, sample, upward)).filter(Number.isFinite).sort((a, b) => a - b);
    if (heights.length) view.y = heights[heights.length >> 1];
  }

  // What is drawn

  function draw() {
    paint.setTransform(ratio, 0, 0, ratio, 0, 0);
    paint.clearRect(0, 0, wide, high);
    drawn = []; hollow = [];
    drawGrid();
    piece = session.at(state.row);
    if (!piece) return;
    let kind = null, xs = null, ys = null, edge = 0;
    for (const one of session.placed) {
      if (one.kind !== kind) { kind = one.kind; edge = kind.body ? BESIDE : 20; xs = column(piece, kind, across); ys = column(piece, kind, upward); }
      const sample = session.sampleOf(piece, one, state.row);
      if (sample < 0) continue;
      const at = kind.position.fixed ? one.lifetime : sample, px = toX(xs ? signs[across] * xs[at] : 0), py = toY(ys ? signs[upward] * ys[at] : 0);
      if (px > -edge && py > -edge && px < wide + edge && py < high + edge) (kind.hollow ? hollow : drawn).push({ one, sample, px, py });
    }
    drawJudged();
    if (state.trail) drawTrails();
    drawHollow();
    for (const kind of session.kinds) { const mine = drawn.filter((each) => each.one.kind === kind); if (mine.length) drawKind(kind, mine); }
    taken = [];
    if (state.names) drawNames();
    drawEvents();
    drawRings();
  }
  const column = (from, { position, number }, axis) => (axis >= position.parts ? null : (position.fixed || from.kinds[number].values[position.index])[axis]);
  function drawGrid() {
    const raw = 80 / view.scale, power = 10 ** Math.floor(Math.log10(raw)), step = [1, 2, 5, 10].map((n) => n * power).find((n) => n >= raw);
    paint.strokeStyle = colours.line; paint.fillStyle = colours.quiet; paint.lineWidth = 1; paint.font = "11px system-ui, sans-serif";
    const label = (value, axis) => Number((signs[axis] * value || 0).toPrecision(6)).toString();
    paint.beginPath();
    for (let x = Math.ceil((view.x - wide / 2 / view.scale) / step) * step; toX(x) < wide; x += step) {
      paint.moveTo(toX(x), 0); paint.lineTo(toX(x), high); paint.fillText(label(x, across), toX(x) + 3, high - 5);
    }
    for (let y = Math.ceil((view.y - high / 2 / view.scale) / step) * step; toY(y) > 0; y += step) {
      paint.moveTo(0, toY(y)); paint.lineTo(wide, toY(y)); paint.fillText(label(y, upward), 3, toY(y) - 3);
    }
    paint.stroke();
  }
  function drawJudged() { // in plan: the region it judged against, and lines where it broke
    const excerpt = state.excerpt;
    if (!excerpt || across !== axes.plan[0] || upward !== axes.plan[1]) return;
    const pixels = (outline) => outline.map(([x, y]) => [toX(signs[across] * x), toY(signs[upward] * y)]);
    paint.fillStyle = paint.strokeStyle = excerpt.inside ? colours.held : colours.mark;
    paint.lineWidth = 1.5;
    paint.beginPath();
    for (const outline of excerpt.outlines) { pixels(outline).forEach(([x, y], index) => (index ? paint.lineTo(x, y) : paint.moveTo(x, y))); paint.closePath(); }
    paint.globalAlpha = 0.15; paint.fill("evenodd"); paint.globalAlpha = 1; paint.stroke();
    paint.strokeStyle = colours.mark; paint.setLineDash([6, 4]); paint.beginPath();
    for (const line of excerpt.lines) {
      const points = pixels(line);
      points.forEach(([x, y], index) => (index ? paint.lineTo(x, y) : paint.moveTo(x, y)));
      const [x, y] = points[points.length - 1];
      paint.moveTo(x - 5, y - 5); paint.lineTo(x + 5, y + 5); paint.moveTo(x - 5, y + 5); paint.lineTo(x + 5, y - 5);
    }
    paint.stroke(); paint.setLineDash([]);
  }
  function drawKind(kind, mine) {
    const colour = colourOf(kind);
    paint.strokeStyle = paint.fillStyle = colour; paint.lineCap = "round"; paint.lineWidth = 1;
    if (kind.body) for (let first = 0; first < mine.length; first += TOGETHER) drawBodies(mine.slice(first, first + TOGETHER));
    const small = drawn.length > FEW || kind.body ? 2.5 : 5;
    paint.beginPath();
    if (drawn.length > FEW) { if (!kind.body) for (const { px, py } of mine) paint.rect(px - 2, py - 2, 4, 4); } else for (const { px, py } of mine) { paint.moveTo(px + small, py); paint.arc(px, py, small, 0, 7); }
    paint.fill();
    drawWays(kind, mine, small);
  }
  function drawBodies(some) {
    const round = [];
    paint.beginPath();
    for (const { one, sample } of some) {
      const body = bodyOf(one, sample);
      if (!body) continue;
      if (body.points.length === 2 && body.radius) round.push(body); // a capsule is a thick line
      else bodies.lay(paint, body, body.points.map(pixel), view.scale);
    }
    paint.globalAlpha = 0.22; paint.fill(); paint.globalAlpha = 1; paint.stroke();
    for (const body of round) {
      paint.beginPath(); bodies.lay(paint, body, body.points.map(pixel), view.scale);
      paint.lineWidth = Math.max(2 * body.radius * view.scale, 1);
      paint.globalAlpha = 0.35; paint.stroke(); paint.globalAlpha = 1; paint.lineWidth = 1;
    }
  }
  function apart() { // those of the second session that are elsewhere than their counterparts
    if (!hollow.length) return hollow;
    const there = new Map(drawn.map((each) => [each.one.id, each]));
    return hollow.filter(({ one, px, py }) => { const other = there.get(one.id); return !other || Math.hypot(other.px - px, other.py - py) >= SAME || (one.kind.body && one.kind.body.shape.turn); });
  }
  function drawHollow() { // the objects of the second session: outlines without a filling
    for (const kind of new Set(hollow.map(({ one }) => one.kind))) {
      paint.strokeStyle = colourOf(kind); paint.lineWidth = 1.5; paint.setLineDash([4, 3]);
      paint.beginPath();
      for (const { one, sample, px, py } of apart()) {
        if (one.kind !== kind) continue;
        const body = bodyOf(one, sample);
        if (body) bodies.lay(paint, body, body.points.map(pixel), view.scale); else { paint.moveTo(px + 7, py); paint.arc(px, py, 7, 0, 7); }
      }
      paint.stroke(); paint.setLineDash([]);
    }
  }
  function drawWays(kind, mine, small) { // where each faces, and, if asked for, where it goes within half a second
    paint.lineWidth = 1.5; paint.beginPath();
    if (kind.facing) for (const each of mine) {
      const [x, y] = facingOf(each), length = Math.hypot(x, y);
      if (length > 1e-6) { paint.moveTo(each.px, each.py); paint.lineTo(each.px + (x / length) * (small + 9), each.py - (y / length) * (small + 9)); }
    }
    if (state.velocity) for (const each of mine) arrow(each, velocityOf(each));
    paint.stroke();
  }
  function facingOf({ one, sample }) {
    const { name, zero, quarter, plan } = one.kind.facing, property = one.kind.named.get(name);
    const value = session.valueOf(piece, one, property, 0, sample), turn = property.unit === "deg" ? (value * Math.PI) / 180 : value;
    const along = [0, 1].map((index) => Math.cos(turn) * zero[index] + Math.sin(turn) * quarter[index]);
    return [across, upward].map((axis) => (plan.includes(axis) ? signs[axis] * along[plan.indexOf(axis)] : 0));
  }
  function velocityOf({ one, sample, px, py }) { // in pixels a second, from the sample before
    const { rows, starts, local } = piece.kinds[one.kind.number];
    if (one.kind.position.fixed || sample <= starts[local[one.lifetime]]) return [0, 0];
    const seconds = session.times[rows[sample]] - session.times[rows[sample - 1]];
    const xs = column(piece, one.kind, across), ys = column(piece, one.kind, upward);
    return seconds > 0 ? [(px - toX(xs ? signs[across] * xs[sample - 1] : 0)) / seconds, (py - toY(ys ? signs[upward] * ys[sample - 1] : 0)) / seconds] : [0, 0];
  }
  function arrow({ px, py }, [x, y]) {
    const [dx, dy] = [x * AHEAD, y * AHEAD], length = Math.hypot(dx, dy);
    if (!(length > 2)) return;
    const [ux, uy] = [dx / length, dy / length], [tx, ty] = [px + dx, py + dy];
    paint.moveTo(px, py); paint.lineTo(tx, ty);
    paint.moveTo(tx - 7 * ux + 4 * uy, ty - 7 * uy - 4 * ux); paint.lineTo(tx, ty); paint.lineTo(tx - 7 * ux - 4 * uy, ty - 7 * uy + 4 * ux);
  }
  function bodyOf(one, sample) {
    const valuesOf = (name, isTurn) => {
      const property = one.kind.named.get(name), values = property ? session.partsOf(piece, one, property, sample) : [NaN];
      return isTurn && property && property.unit === "deg" ? values.map((value) => (value * Math.PI) / 180) : values;
    };
    return one.kind.body && bodies.of(one.kind.body, valuesOf, session.partsOf(piece, one, one.kind.position, sample));
  }
  function drawTrails() {
    const shown = drawn.slice(0, MOST_TRAILS), most = drawn.length > FEW ? 32 : 1024; // samples of one trail
    for (const kind of session.kinds) {
      const mine = shown.filter(({ one }) => one.kind === kind && one !== state.selected);
      if (mine.length) stroke(kind, 0.4, 1.2, () => mine.forEach(({ one }) => layTrail(one, most)));
    }
    if (drawn.some(({ one }) => one === state.selected)) stroke(state.selected.kind, 0.9, 2, () => layTrail(state.selected, 1024));
  }
  function stroke(kind, alpha, width, lay) { // one path for all trails of a kind: many strokes cost frames
    paint.strokeStyle = colourOf(kind); paint.globalAlpha = alpha; paint.lineWidth = width;
    paint.beginPath(); lay(); paint.stroke();
    paint.globalAlpha = 1;
  }
  function layTrail(one, most) {
    const far = Math.max(wide, high) / 6;
    let x = NaN, y = NaN;
    if (one.kind.position.fixed) return;
    session.course(one, session.rowAt(session.times[state.row] - state.trail), state.row, most, (from, rows, first, stop, step) => {
      const xs = column(from, one.kind, across), ys = column(from, one.kind, upward);
      for (let at = first; at <= stop; at = at < stop && at + step > stop ? stop : at + step) {
        const px = toX(xs ? signs[across] * xs[at] : 0), py = toY(ys ? signs[upward] * ys[at] : 0);
        if (Math.abs(px - x) <= far && Math.abs(py - y) <= far) paint.lineTo(px, py); else paint.moveTo(px, py);
        x = px; y = py;
      }
    });
  }
  function drawEvents() { // those of the last half second, where they happened; contacts as crosses
    const recent = state.recent(RECENT);
    if (!recent.length) return;
    paint.strokeStyle = paint.fillStyle = colours.ink; paint.font = LABELS; paint.lineWidth = 1.5;
    for (const event of recent) {
      const place = event.point ? pixel(event.point) : placeOf(event);
      if (!place) continue;
      const [x, y] = place;
      paint.globalAlpha = Math.max(0.25, 1 - (session.times[state.row] - session.times[event.row]) / RECENT);
      paint.beginPath();
      if (event.point || (event.by && event.on)) { paint.moveTo(x - 5, y - 5); paint.lineTo(x + 5, y + 5); paint.moveTo(x - 5, y + 5); paint.lineTo(x + 5, y - 5); }
      else { paint.moveTo(x, y - 7); paint.lineTo(x + 7, y); paint.lineTo(x, y + 7); paint.lineTo(x - 7, y); paint.closePath(); }
      paint.stroke();
      if (state.names) write(event.name.slice(0, LONGEST_NAME), x + 10, y + 14);
    }
    paint.globalAlpha = 1;
  }
  function placeOf(event) { // where the first participant was that has a position
    for (const id of [event.by, event.on]) {
      const one = id && state.named(id, event.row), from = one && one.kind.position && session.at(event.row);
      const sample = from ? session.sampleOf(from, one, event.row) : -1;
      if (sample >= 0) return [toX(coordinate(from, one, sample, across)), toY(coordinate(from, one, sample, upward))];
    }
    return null;
  }
  const importance = ({ one }) => (one === state.hovered ? 4 : 0) + (state.wrong.has(one.id) ? 3 : 0) + (one === state.selected ? 2 : 0) + (state.around.has(one.id) ? 1 : 0);
  function drawNames() { // by importance; of two that would lie over one another, the first
    paint.fillStyle = colours.ink; paint.font = LABELS;
    const ranked = drawn.map((each) => [importance(each), each]).sort((a, b) => b[0] - a[0]);
    for (const [rank, { one, px, py }] of ranked) {
      if (taken.length >= MOST_NAMES || (!rank && drawn.length > FEW)) break;
      write(one.id.slice(0, LONGEST_NAME), px + 8, py - 6);
    }
    paint.fillStyle = colours.quiet;
    for (const { one, px, py } of apart()) if (taken.length < MOST_NAMES) write(one.id.slice(0, LONGEST_NAME), px + 8, py - 6);
  }
  function write(text, x, y) { // beside a mark, on the side where it does not run off the picture, if nothing is written there
    if (!widths.has(text)) widths.set(text, paint.measureText(text).width);
    const width = widths.get(text), left = x + width > wide ? Math.max(x - 16 - width, 0) : x, box = [left, y - 11, left + width, y + 2];
    if (taken.some((other) => box[0] < other[2] && other[0] < box[2] && box[1] < other[3] && other[1] < box[3])) return;
    taken.push(box);
    paint.fillText(text, left, y);
  }
  function drawRings() {
    paint.lineWidth = 2.5;
    for (const { one, px, py } of drawn) {
      if (one !== state.selected && !state.wrong.has(one.id)) continue;
      paint.strokeStyle = state.wrong.has(one.id) ? colours.mark : colours.ink;
      paint.beginPath(); paint.arc(px, py, 11, 0, 7); paint.stroke();
    }
  }

  function zoom(by, px = wide / 2, py = high / 2) {
    const x = view.x + (px - wide / 2) / view.scale, y = view.y - (py - high / 2) / view.scale;
    view.scale = Math.min(view.scale * by, nearest);
    view.x = x - (px - wide / 2) / view.scale; view.y = y + (py - high / 2) / view.scale;
  }
  function objectAt(x, y) {
    let best = null, least = NEAR;
    for (const { one, px, py } of drawn) { const far = Math.hypot(px - x, py - y); if (far < least) { best = one; least = far; } }
    return best;
  }
  function centre(one) {
    const from = session.at(state.row), sample = from && one.kind.position ? session.sampleOf(from, one, state.row) : -1;
    if (sample >= 0) { view.x = coordinate(from, one, sample, across); view.y = coordinate(from, one, sample, upward); }
  }
  return {
    view, draw, fit, fitUp, measure, zoom, objectAt, centre, bodyOf: (one) => { piece = session.at(state.row); const sample = session.sampleOf(piece, one, state.row); return sample < 0 ? null : bodyOf(one, sample); },
    show(first, second) { across = first; upward = second; },
    get hollow() { return apart().map(({ one }) => one.id); },
    get axes() { return [across, upward]; },
  };
};
