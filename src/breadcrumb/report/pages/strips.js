"use strict";
// Strips over time, one below the other: the judged values of a rule with what it allowed, properties, and events. Where a
// second session is shown, a property of an object has that of its counterpart in it, dashed.
const breadcrumbStrips = (place, session, state, go) => {
  const HIGH = 46, MOST = 900, PADDING = 0.08, MISSING_FLAG = 2, TICK = 3, MOST_PARTS = 3, DASHES = [4, 4];
  const style = (name) => getComputedStyle(document.documentElement).getPropertyValue(name);
  let strips = [], colours = {};

  const make = (name, attributes, ...inside) => { const made = Object.assign(document.createElement(name), attributes); made.append(...inside); return made; };
  const words = (value) => (typeof value === "string" ? value : value === null || value === undefined || Number.isNaN(value) ? "none" : session.words(value));

  // What a strip shows: each has a key, a title, the ends of its axis, its lines, and what it is on this frame

  function ofBand(excerpt, band) {
    const texts = [...new Set(band.values.filter((one) => typeof one === "string"))], rows = excerpt.frames.map(session.rowOf);
    const known = (values) => values.map((one) => (typeof one === "string" ? texts.indexOf(one) : one === null ? NaN : one));
    const values = known(band.values), low = known(band.low), high = known(band.high);
    const all = [...values, ...low, ...high].filter(Number.isFinite), wrong = new Set(excerpt.broken);
    const places = new Map(rows.map((row, index) => [row, index])), at = (row) => places.get(row) ?? null;
    return {
      title: `${band.name}${excerpt.object ? ` of ${excerpt.object}` : ""}`, unit: band.unit, rows, values, low, high, texts, stepped: texts.length > 0,
      broken: excerpt.frames.map((frame) => wrong.has(frame)), ends: [Math.min(...all), Math.max(...all)],
      now(row) {
        const index = at(row);
        if (index === null) return "not judged on this frame, or not stored";
        const limits = [["at least", band.low], ["at most", band.high]].filter(([, side]) => side.length && side[index] !== null).map(([word, side]) => `${word} ${words(side[index])}`);
        return `${words(band.values[index])} ${band.unit}${limits.length ? `, allowed ${limits.join(" and ")} ${band.unit}` : ""}${wrong.has(excerpt.frames[index]) ? ", broken" : ""}`;
      },
    };
  }
  function ofProperty(one, name, part) {
    const property = one && one.kind.named.get(name);
    if (!property || part >= property.parts) return null;
    const beside = session.counterparts(one).filter((other) => other.kind.named.has(name)).map((other) => ({ one: other, property: other.kind.named.get(name), part }));
    const texts = property.flag ? ["false", "true"] : [...new Set([...(property.texts || []), ...beside.flatMap((other) => other.property.texts || [])])];
    const rangeOf = (each) => (each.property.ranges.length ? each.property.ranges[part].map((values) => values[each.one.lifetime]) : []);
    const all = [{ one, property }, ...beside].flatMap(rangeOf).filter(Number.isFinite), ends = texts.length ? [0, texts.length - 1] : [Math.min(...all), Math.max(...all)];
    for (const other of beside) other.codes = other.property.texts && other.property.texts.map((text) => texts.indexOf(text));
    const said = (piece, each, row) => {
      const sample = session.sampleOf(piece, each.one, row);
      if (sample < 0) return null;
      const value = each.property.parts > 1 ? session.words(session.valueOf(piece, each.one, each.property, part, sample)) : session.told(piece, each.one, each.property, sample);
      return value.startsWith("missing") ? value : `${value} ${property.unit}`.trim();
    };
    return {
      key: `${one.title}~${name}~${part}`, title: `${name}${property.parts > 1 ? `.${"xyzw"[part] || part}` : ""} of ${one.title}`, unit: property.unit, one, property, part, ends, beside, low: [], high: [],
      texts, stepped: property.flag || Boolean(property.texts), removable: true,
      now(row) {
        const piece = session.at(row);
        if (!piece) return "loading";
        const other = beside.map((each) => said(piece, each, row)).find((each) => each !== null);
        return `${said(piece, { one, property }, row) ?? "not there"}${beside.length ? `, in the reference ${other ?? "not there"}` : ""}`;
      },
    };
  }
  function ofEvent(name) {
    const rows = session.events.filter((event) => event.name === name).map((event) => event.row);
    return { key: `event~${name}`, title: name, unit: "", rows, isEvent: true, removable: true, texts: [], now: (row) => `${rows.filter((one) => one === row).length || "none"} on this frame, ${rows.length} in all` };
  }
  const made = (key) => {
    const [first, name, part] = key.split("~");
    return first === "event" && part === undefined ? (session.events.some((event) => event.name === name) ? ofEvent(name) : null) : ofProperty(session.objects.find((one) => one.title === first), name, Number(part));
  };

  function put(strip) {
    const canvas = make("canvas", { className: "strip" }), now = make("span", { className: "number" }), caption = make("p", {}, make("bdi", { textContent: strip.title }), " ", now);
    if (strip.removable) {
      const button = make("button", { type: "button", textContent: "remove", ariaLabel: `remove ${strip.title}` });
      button.addEventListener("click", () => { remove(strip); state.changed(); });
      caption.append(" ", button);
    }
    canvas.setAttribute("aria-hidden", "true"); // the caption tells the value on this frame
    const box = make("div", { className: "strip-box" }, caption, canvas);
    Object.assign(strip, { canvas, now_: now, box, paint: canvas.getContext("2d") });
    let held = false;
    const seek = (event) => { const [from, seconds] = stretch(); go(session.rowAt(from + (event.offsetX / canvas.clientWidth) * seconds)); };
    canvas.addEventListener("pointerdown", (event) => { held = true; canvas.setPointerCapture(event.pointerId); state.hold(stretch()); seek(event); });
    canvas.addEventListener("pointermove", (event) => { if (held) seek(event); });
    canvas.addEventListener("pointerup", () => { held = false; state.hold(null); });
    strips.push(strip);
    place.append(box);
  }
  function remove(strip) { strip.box.remove(); strips = strips.filter((one) => one !== strip); measure(); draw(); }
  function add(key) {
    if (strips.some((one) => one.key === key)) return;
    const strip = made(key);
    if (strip) { put(strip); measure(); draw(); }
  }
  function judge(excerpt, differing) { // the strips of the chosen rule, or of the property that differs, stand above the others
    const others = strips.filter((one) => one.removable);
    for (const one of strips) one.box.remove();
    strips = [];
    for (const band of excerpt ? excerpt.bands.slice(0, 4) : []) put(ofBand(excerpt, band));
    for (let part = 0; differing && part < MOST_PARTS; part++) {
      const strip = ofProperty(differing.one, differing.name, part);
      const isConstant = strip && strip.property.parts > 1 && strip.ends[0] === strip.ends[1]; // such as a height in plan
      if (strip && !isConstant && !others.some((one) => one.key === strip.key)) put({ ...strip, removable: false });
    }
    for (const one of others) { strips.push(one); place.append(one.box); }
    measure();
  }
  function stretch() { // the time at the left end, and how many seconds are seen
    if (state.held) return state.held;
    const seconds = state.seconds, begin = session.times[0], end = session.times[session.last];
    return [Math.max(begin, Math.min(session.times[state.row] - seconds / 2, end - seconds)), seconds];
  }

  // How it is drawn

  function measure() {
    const ratio = window.devicePixelRatio || 1;
    colours = Object.fromEntries(["ink", "quiet", "line", "mark", "held", "accent"].map((name) => [name, style(`--${name}`)]));
    for (const one of strips) {
      one.wide = one.canvas.clientWidth; one.ratio = ratio;
      one.canvas.width = Math.max(1, Math.round(one.wide * ratio)); one.canvas.height = Math.round(HIGH * ratio);
    }
  }
  function draw() {
    const [from, seconds] = stretch();
    for (const one of strips) {
      const { paint, wide } = one, toX = (time) => ((time - from) / seconds) * wide;
      paint.setTransform(one.ratio, 0, 0, one.ratio, 0, 0);
      paint.clearRect(0, 0, wide, HIGH);
      if (one.isEvent) drawTicks(one, toX, from, seconds); else drawLine(one, toX, from, seconds);
      paint.strokeStyle = colours.ink; paint.lineWidth = 1; paint.beginPath();
      paint.moveTo(toX(session.times[state.row]), 0); paint.lineTo(toX(session.times[state.row]), HIGH); paint.stroke();
      const said = one.now(state.row);
      if (one.now_.textContent !== said) one.now_.textContent = said;
    }
  }
  function drawTicks({ paint, rows }, toX, from, seconds) {
    paint.fillStyle = colours.accent;
    for (const row of rows) { const time = session.times[row]; if (time >= from && time <= from + seconds) paint.fillRect(toX(time) - 1, HIGH * 0.25, 2, HIGH * 0.5); }
  }
  function drawLine(strip, toX, from, seconds) {
    const { paint, wide } = strip, points = strip.rows ? near(strip, from, seconds) : samplesOf(strip, from, seconds);
    const lines = (strip.beside || []).map((other) => samplesOf(other, from, seconds));
    const ends = strip.one && strip.property.texts ? rangeIn([points, ...lines]) : strip.ends; // of all texts those that are seen
    const span = ends[1] - ends[0] || Math.abs(ends[1]) || 1, bottom = ends[0] - PADDING * span, top = (ends[1] === ends[0] ? ends[1] + span : ends[1]) + PADDING * span;
    const toY = (value) => HIGH - TICK - ((value - bottom) / (top - bottom)) * (HIGH - 2 * TICK);
    const trace = (some) => {
      let joined = false, before = 0;
      paint.beginPath();
      for (const [time, value] of some) {
        if (!Number.isFinite(value)) { joined = false; continue; }
        const x = toX(time), y = toY(value);
        if (joined && strip.stepped) paint.lineTo(x, before);
        if (joined) paint.lineTo(x, y); else paint.moveTo(x, y);
        joined = true; before = y;
      }
      paint.stroke();
    };
    drawAllowed(strip, points, toX, toY);
    paint.strokeStyle = colours.accent; paint.lineWidth = 1.5;
    trace(points);
    paint.strokeStyle = colours.ink; paint.lineWidth = 1; paint.setLineDash(DASHES); // over the line: where both are equal, both are seen
    for (const line of lines) trace(line);
    paint.setLineDash([]);
    paint.fillStyle = colours.mark; // each breach, over all else
    for (const [time, value, index] of points) if (strip.broken && strip.broken[index] && Number.isFinite(value)) { paint.beginPath(); paint.arc(toX(time), toY(value), 2.5, 0, 7); paint.fill(); }
    paint.fillStyle = colours.quiet; paint.font = "10px system-ui, sans-serif";
    const label = (value) => (strip.texts.length ? strip.texts[value] || "" : Number.isFinite(value) ? session.words(value) : "");
    paint.fillText(label(ends[1]).slice(0, 30), 3, 11);
    if (ends[1] !== ends[0]) paint.fillText(label(ends[0]).slice(0, 30), 3, HIGH - 3);
    if (wide && points.length === 0) paint.fillText("no data", wide / 2 - 30, HIGH / 2);
  }
  function rangeIn(lines) {
    let low = Infinity, high = -Infinity;
    for (const line of lines) for (const [, value] of line) if (Number.isFinite(value)) { low = Math.min(low, value); high = Math.max(high, value); }
    return low <= high ? [low, high] : [NaN, NaN];
  }
  function drawAllowed({ paint, low, high }, points, toX, toY) { // a band, or what is above or below a limit
    if (!(low && low.length) && !(high && high.length)) return;
    const side = (values, otherwise) => points.filter(([, , index]) => !values.length || Number.isFinite(values[index])).map(([time, , index]) => [toX(time), values.length ? toY(values[index]) : otherwise]);
    const floor = side(low, HIGH), roof = side(high, 0);
    if (!floor.length || !roof.length) return;
    paint.fillStyle = paint.strokeStyle = colours.held; paint.globalAlpha = 0.2; paint.beginPath();
    [...roof, ...floor.reverse()].forEach(([x, y], index) => (index ? paint.lineTo(x, y) : paint.moveTo(x, y)));
    paint.closePath(); paint.fill();
    paint.globalAlpha = 0.7; paint.lineWidth = 1;
    for (const [border, line] of [[high, roof], [low, floor]]) if (border.length) { paint.beginPath(); line.forEach(([x, y], index) => (index ? paint.lineTo(x, y) : paint.moveTo(x, y))); paint.stroke(); }
    paint.globalAlpha = 1;
  }
  function near({ rows, values }, from, seconds) {
    const points = [], first = session.rowAt(from), end = session.rowAt(from + seconds);
    let low = 0, high = rows.length;
    while (low < high) { const middle = (low + high) >> 1; if (rows[middle] < first) low = middle + 1; else high = middle; }
    for (let index = low; index < rows.length && rows[index] <= end; index++) points.push([session.times[rows[index]], values[index], index]);
    return points;
  }
  function samplesOf({ one, property, part, codes }, from, seconds) {
    const points = [], missing = (value) => (property.texts ? value < 0 : property.flag ? value === MISSING_FLAG : false);
    session.course(one, session.rowAt(from), session.rowAt(from + seconds), MOST, (piece, rows, first, stop, step) => {
      for (let at = first; at <= stop; at = at < stop && at + step > stop ? stop : at + step) {
        const value = session.valueOf(piece, one, property, part, at);
        points.push([session.times[rows[at]], missing(value) ? NaN : codes ? codes[value] : value, 0]);
      }
    });
    return points;
  }
  const coursesOf = (strip) => [strip, ...strip.beside].map((each) => samplesOf(each, session.times[0], session.times[session.last]).map(([, value]) => (strip.texts.length ? strip.texts[value] : value)));
  return { add, judge, draw, measure, get keys() { return strips.filter((one) => one.removable).map((one) => one.key); }, get courses() { return strips.filter((one) => one.one).map(coursesOf); }, get captions() { return strips.map((one) => one.box.querySelector("p").textContent); } };
};
