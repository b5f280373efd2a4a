"use strict";
// Plays a session: everything is in the page, and whatever comes from the session is only ever set as text.
(() => {
  const session = JSON.parse(document.getElementById("data").textContent);
  const el = (id) => document.getElementById(id);
  const COLOURS = ["#2b5fa4", "#c4432e", "#462222", "#3c8ef4", "#14218a", "#a08696", "#614155", "#e86917", "#846671", "#813605"];
  const DARK = ["#79b0ec", "#f4867a", "#f6e782", "#7bf7fc", "#9070e9", "#ae7e10", "#e0be0e", "#4f97b9", "#b6d0bb", "#db5981"];
  const MOST_EVENTS = 300, MOST_TRAILS = 120, MISSING_FLAG = 2, NEAR = 14, FEW = 150, BESIDE = 400;
  const unpacked = breadcrumbUnpacked;
  const frames = unpacked(session.frames, "i4"), times = unpacked(session.times, "f8"), last = frames.length - 1;
  const objects = [];
  session.kinds.forEach((kind, number) => {
    kind.rows = unpacked(kind.rows, "i4");
    kind.colour = number;
    for (const property of kind.properties) property.parts = property.parts.map((part) => unpacked(part, property.type));
    kind.position = kind.properties.find((property) => property.name === "position" && property.type === "f4");
    kind.ids.forEach((id, lifetime) => objects.push({ kind, lifetime, id, title: kind.lifetimes[lifetime] > 1 ? `${id} (lifetime ${kind.lifetimes[lifetime]})` : id }));
  });
  const placed = objects.filter((one) => one.kind.position);
  const broken = session.broken.map((one) => ({ ...one, row: rowOf(one.frame) }));
  let row = session.at, clock = times[row], playing = false, before = 0, selected = null;
  let across = session.axes.plan[0], upward = session.axes.plan[1];
  const view = { x: 0, y: 0, scale: 1 }, bodies = breadcrumbBodies;

  // Where things are

  function rowOf(frame) {
    let low = 0, high = last;
    while (low < high) { const middle = (low + high) >> 1; if (frames[middle] < frame) low = middle + 1; else high = middle; }
    return low;
  }
  function sampleOf(one, at) {
    const { rows, starts } = one.kind;
    const begin = starts[one.lifetime], end = starts[one.lifetime + 1];
    const guess = begin + at - rows[begin];
    if (guess >= begin && guess < end && rows[guess] === at) return guess;
    let low = begin, high = end - 1;
    if (at < rows[low] || at > rows[high]) return -1;
    while (low < high) { const middle = (low + high + 1) >> 1; if (rows[middle] <= at) low = middle; else high = middle - 1; }
    return low; // between two samples it is where it was last seen
  }
  const valueOf = (property, part, one, sample) => property.parts[part][property.fixed ? one.lifetime : sample];
  const asSeen = (point) => [across, upward].map((axis) => (axis < point.length ? (session.axes.reversed[axis] ? -point[axis] : point[axis]) : 0));
  const partsOf = (property, one, sample) => property.parts.map((_, part) => valueOf(property, part, one, sample));
  const placeOf = (one, sample) => asSeen(partsOf(one.kind.position, one, sample));
  function bodyOf(one, sample) {
    const valuesOf = (name, isTurn) => {
      const property = one.kind.properties.find((each) => each.name === name), values = property ? partsOf(property, one, sample) : [NaN];
      return isTurn && property && property.unit === "deg" ? values.map((value) => (value * Math.PI) / 180) : values;
    };
    return one.kind.body && bodies.of(one.kind.body, valuesOf, partsOf(one.kind.position, one, sample));
  }

  // The picture

  const sea = el("sea"), paint = sea.getContext("2d"), marks = el("marks");
  const dark = matchMedia("(prefers-color-scheme: dark)");
  const style = (name) => getComputedStyle(document.documentElement).getPropertyValue(name);
  const colourOf = (kind) => (dark.matches ? DARK : COLOURS)[kind.colour % COLOURS.length];
  let ratio = 1, wide = 0, high = 0;

  function measure() {
    ratio = window.devicePixelRatio || 1;
    for (const canvas of [sea, marks]) {
      const box = canvas.getBoundingClientRect();
      canvas.width = Math.max(1, Math.round(box.width * ratio));
      canvas.height = Math.max(1, Math.round(box.height * ratio));
    }
    wide = sea.width / ratio; high = sea.height / ratio;
  }
  function fit() {
    let left = Infinity, right = -Infinity, bottom = Infinity, top = -Infinity;
    for (const one of placed) {
      const { starts } = one.kind, begin = starts[one.lifetime], end = starts[one.lifetime + 1];
      const step = Math.max(1, (end - begin) >> 6);
      for (let sample = begin; sample < end; sample += step) {
        const [x, y] = placeOf(one, sample);
        if (Number.isFinite(x) && Number.isFinite(y)) {
          left = Math.min(left, x); right = Math.max(right, x); bottom = Math.min(bottom, y); top = Math.max(top, y);
        }
      }
    }
    if (left > right) return;
    view.x = (left + right) / 2; view.y = (bottom + top) / 2;
    view.scale = 0.9 * Math.min(wide / (right - left || 1), (high - 60) / (top - bottom || 1));
  }
  const toX = (x) => wide / 2 + (x - view.x) * view.scale, toY = (y) => high / 2 - (y - view.y) * view.scale;

  function draw() {
    if (selected && el("follow").checked) {
      const sample = sampleOf(selected, row);
      if (sample >= 0) [view.x, view.y] = placeOf(selected, sample);
    }
    paint.setTransform(ratio, 0, 0, ratio, 0, 0);
    paint.clearRect(0, 0, wide, high);
    const ink = style("--ink");
    drawGrid();
    const there = [];
    for (const one of placed) {
      const sample = sampleOf(one, row);
      if (sample < 0) continue;
      const [x, y] = placeOf(one, sample);
      const px = toX(x), py = toY(y);
      const edge = one.kind.body ? BESIDE : 20;
      if (px > -edge && py > -edge && px < wide + edge && py < high + edge) there.push([one, sample, px, py]);
    }
    const seconds = Number(el("trail").value);
    if (seconds) drawTrails(there, seconds);
    drawBodies(there);
    for (const kind of session.kinds) {
      const small = there.length > FEW || kind.body ? 2.5 : 5;
      paint.fillStyle = colourOf(kind);
      paint.beginPath();
      for (const [one, , px, py] of there) if (one.kind === kind) { paint.moveTo(px + small, py); paint.arc(px, py, small, 0, 7); }
      paint.fill();
    }
    paint.fillStyle = ink;
    paint.font = "12px system-ui, sans-serif";
    const wrong = new Set(broken.filter((one) => one.row === row).map((one) => one.object));
    if (el("names").checked && there.length <= FEW) drawNames(there, (one) => one === selected || wrong.has(one.id));
    for (const [one, , px, py] of there) {
      if (one !== selected && !wrong.has(one.id)) continue;
      paint.strokeStyle = wrong.has(one.id) ? style("--mark") : ink;
      paint.lineWidth = 2.5;
      paint.beginPath(); paint.arc(px, py, 11, 0, 7); paint.stroke();
      if (one === selected && there.length > FEW) paint.fillText(one.id.slice(0, 40), px + 13, py - 8);
    }
    picked = there;
  }
  function drawBodies(there) {
    for (const [one, sample] of there) {
      const body = bodyOf(one, sample);
      if (!body) continue;
      const width = bodies.lay(paint, body, body.points.map(asSeen).map(([x, y]) => [toX(x), toY(y)]), view.scale);
      paint.strokeStyle = paint.fillStyle = colourOf(one.kind);
      paint.lineWidth = Math.max(width, 1); paint.lineCap = "round";
      paint.globalAlpha = 0.22;
      if (width) paint.stroke(); else paint.fill();
      paint.globalAlpha = 1;
      if (!width) paint.stroke();
    }
  }
  function drawNames(there, matters) { // those that matter first; of two that would lie over one another, one
    const taken = [];
    for (const [one, , px, py] of [...there].sort((a, b) => matters(b[0]) - matters(a[0]))) {
      const text = one.id.slice(0, 40), box = [px + 8, py - 17, px + 8 + paint.measureText(text).width, py - 4];
      if (taken.some((other) => box[0] < other[2] && other[0] < box[2] && box[1] < other[3] && other[1] < box[3])) continue;
      taken.push(box);
      paint.fillText(text, px + 8, py - 6);
    }
  }
  let picked = [];
  function drawGrid() {
    const raw = 80 / view.scale, power = 10 ** Math.floor(Math.log10(raw)), step = [1, 2, 5, 10].map((n) => n * power).find((n) => n >= raw);
    paint.strokeStyle = style("--line"); paint.fillStyle = style("--quiet"); paint.lineWidth = 1; paint.font = "11px system-ui, sans-serif";
    const label = (value, axis) => Number(((session.axes.reversed[axis] ? -value : value) || 0).toPrecision(6)).toString();
    for (let x = Math.ceil((view.x - wide / 2 / view.scale) / step) * step; toX(x) < wide; x += step) {
      paint.beginPath(); paint.moveTo(toX(x), 0); paint.lineTo(toX(x), high); paint.stroke(); paint.fillText(label(x, across), toX(x) + 3, high - 5);
    }
    for (let y = Math.ceil((view.y - high / 2 / view.scale) / step) * step; toY(y) > 0; y += step) {
      paint.beginPath(); paint.moveTo(0, toY(y)); paint.lineTo(wide, toY(y)); paint.stroke(); paint.fillText(label(y, upward), 3, toY(y) - 3);
    }
  }
  function drawTrails(there, seconds) {
    const shown = there.slice(0, MOST_TRAILS), most = there.length > FEW ? 32 : 1024; // points of one trail
    for (const kind of session.kinds) {
      const mine = shown.filter(([one]) => one.kind === kind && one !== selected);
      if (mine.length) stroke(kind, 0.4, 1.2, () => mine.forEach(([one, sample]) => layTrail(one, sample, seconds, most)));
    }
    const chosen = there.find(([one]) => one === selected);
    if (chosen) stroke(selected.kind, 0.9, 2, () => layTrail(chosen[0], chosen[1], seconds, 1024));
  }
  function stroke(kind, alpha, width, lay) { // one path for all trails of a kind: many strokes cost frames
    paint.strokeStyle = colourOf(kind);
    paint.globalAlpha = alpha;
    paint.lineWidth = width;
    paint.beginPath();
    lay();
    paint.stroke();
    paint.globalAlpha = 1;
  }
  function layTrail(one, sample, seconds, most) {
    const { rows, starts } = one.kind;
    let begin = sample;
    while (begin > starts[one.lifetime] && times[rows[begin - 1]] >= times[row] - seconds) begin--;
    const step = Math.max(1, Math.ceil((sample - begin) / most));
    let previous = null;
    for (let at = sample; at >= begin; at -= step) {
      const [x, y] = placeOf(one, at), px = toX(x), py = toY(y);
      const jumps = previous && Math.hypot(px - previous[0], py - previous[1]) > Math.max(wide, high) / 6;
      if (previous && !jumps) paint.lineTo(px, py); else paint.moveTo(px, py);
      previous = [px, py];
    }
  }
  function drawMarks() {
    const brush = marks.getContext("2d"), width = marks.width, height = marks.height, to = (at) => (last ? (at / last) * (width - 2) : 0);
    brush.clearRect(0, 0, width, height);
    brush.fillStyle = style("--quiet");
    brush.globalAlpha = 0.35;
    for (const [at] of session.events) brush.fillRect(to(at), height * 0.55, ratio, height * 0.45);
    brush.globalAlpha = 1;
    brush.fillStyle = style("--ink");
    for (const at of session.restarts) brush.fillRect(to(at), 0, ratio, height * 0.55);
    brush.fillStyle = style("--mark");
    for (const one of broken) brush.fillRect(to(one.row) - ratio, 0, 3 * ratio, height);
  }

  // What is told beside it

  const words = (value) => (Number.isFinite(value) ? String(Number(value.toPrecision(5))) : "missing or no number");
  function told(property, one, sample) {
    if (property.type === "i4") { const code = valueOf(property, 0, one, sample); return code < 0 ? "missing" : property.texts[code]; }
    if (property.type === "u1") { const flag = valueOf(property, 0, one, sample); return flag === MISSING_FLAG ? "missing" : String(flag === 1); }
    const parts = property.parts.map((_, part) => words(valueOf(property, part, one, sample)));
    return parts.length > 1 ? `(${parts.join(", ")})` : parts[0];
  }
  const cell = (name, text) => { const made = document.createElement(name); made.textContent = text; return made; };
  const episode = () => (session.restarts.some((at) => at > 0) ? `  episode ${1 + session.restarts.filter((at) => at > 0 && at <= row).length}` : "");
  function tell() {
    el("now").textContent = `frame ${frames[row]} of ${frames[last]}  ${times[row].toFixed(3)} s${episode()}`;
    el("bar").value = row;
    el("bar").setAttribute("aria-valuetext", `frame ${frames[row]}, ${times[row].toFixed(3)} seconds`);
    const now = broken.filter((one) => one.row === row);
    const said = now.map((one) => one.words).join("   ");
    if (el("broken-words").textContent !== said) el("broken-words").textContent = said;
    const rows = [];
    if (selected) {
      const sample = sampleOf(selected, row);
      const add = (name, text, unit) => { const line = document.createElement("tr"); line.append(cell("th", name), cell("td", text), cell("td", unit)); rows.push(line); };
      add(selected.kind.kind, sample < 0 ? "not there" : selected.title, "");
      if (sample >= 0) for (const property of selected.kind.properties) add(property.name, told(property, selected, sample), property.unit);
    }
    el("values").replaceChildren(...rows);
    markEvents();
  }
  let listed = [];
  function listEvents() {
    const wanted = el("filter").value.trim().toLowerCase();
    const found = session.events.filter((one) => !wanted || [one[1], one[2], one[3]].some((text) => text.toLowerCase().includes(wanted)));
    const near = found.findIndex((one) => one[0] >= row), start = Math.max(0, (near < 0 ? found.length : near) - MOST_EVENTS / 2);
    listed = found.slice(start, start + MOST_EVENTS).map((one) => {
      const made = cell("button", `${frames[one[0]]}  ${one[1]}  ${one[2]}${one[3] ? ` on ${one[3]}` : ""}  ${one[4]}`);
      made.type = "button";
      made.addEventListener("click", () => { pick(one[2]) || pick(one[3]); go(one[0]); });
      return [one[0], made];
    });
    el("events").replaceChildren(...listed.map(([, made]) => made));
    el("how-many").textContent = found.length > MOST_EVENTS ? `${MOST_EVENTS} of ${found.length}` : String(found.length);
    markEvents();
  }
  function markEvents() {
    if (listed.length && (row < listed[0][0] || row > listed[listed.length - 1][0]) && listed.length === MOST_EVENTS && !playing) { const keep = listed; listed = []; if (keep) listEvents(); return; }
    for (const [at, made] of listed) made.classList.toggle("now", at === row);
    const next = listed.find(([at]) => at >= row);
    if (next && !el("events").matches(":focus-within")) el("events").scrollTop = next[1].offsetTop - el("events").offsetTop - 40;
  }

  // What the user does

  function show() { draw(); tell(); }
  function go(to) { row = Math.min(last, Math.max(0, to)); clock = times[row]; show(); }
  function select(one) { selected = one; el("object").value = one ? one.title : ""; show(); }
  function pick(id) {
    const mine = objects.filter((one) => one.id === id);
    const one = mine.find((each) => sampleOf(each, row) >= 0) || mine[0];
    if (one) select(one);
    return Boolean(one);
  }
  function play(on) { playing = on; before = 0; el("play").textContent = on ? "pause" : "play"; if (on) { if (row === last) go(0); requestAnimationFrame(tick); } }
  const spent = [];
  function tick(now) {
    if (!playing) return;
    if (before) {
      spent.push(now - before);
      if (spent.length > 600) spent.shift();
      clock += ((now - before) / 1000) * Number(el("speed").value);
      while (row < last && times[row + 1] <= clock) row++;
      if (row === last) play(false);
      show();
    }
    before = now;
    requestAnimationFrame(tick);
  }
  function second(way) { let to = row; while (to > 0 && to < last && Math.abs(times[to] - times[row]) < 1) to += way; go(to === row ? to + way : to); }
  function jumpBroken(way) {
    const rows = broken.map((one) => one.row).sort((a, b) => a - b);
    const next = way > 0 ? rows.find((at) => at > row) ?? rows[0] : rows.filter((at) => at < row).pop() ?? rows[rows.length - 1];
    if (next === undefined) return;
    go(next);
    const one = broken.find((each) => each.row === next);
    if (one) pick(one.object);
  }
  function zoom(by, px = wide / 2, py = high / 2) {
    const x = view.x + (px - wide / 2) / view.scale, y = view.y - (py - high / 2) / view.scale;
    view.scale *= by;
    view.x = x - (px - wide / 2) / view.scale; view.y = y + (py - high / 2) / view.scale;
    draw();
  }
  const KEYS = {
    " ": () => play(!playing), ArrowLeft: (event) => (event.shiftKey ? second(-1) : go(row - 1)),
    ArrowRight: (event) => (event.shiftKey ? second(1) : go(row + 1)), Home: () => go(0), End: () => go(last),
    b: () => jumpBroken(1), B: () => jumpBroken(-1), "+": () => zoom(1.25), "-": () => zoom(0.8),
    f: () => { el("follow").checked = !el("follow").checked; draw(); },
  };
  document.addEventListener("keydown", (event) => {
    const typing = event.target.matches("input:not([type=range]):not([type=checkbox]), select");
    const pressing = event.key === " " && event.target.matches("button, input[type=checkbox]");
    if (typing || pressing || event.ctrlKey || event.metaKey || event.altKey || !KEYS[event.key]) return;
    event.preventDefault();
    KEYS[event.key](event);
  });
  const on = (id, what, action) => el(id).addEventListener(what, action);
  on("play", "click", () => play(!playing));
  on("back", "click", () => go(row - 1));
  on("on", "click", () => go(row + 1));
  on("previous-broken", "click", () => jumpBroken(-1));
  on("next-broken", "click", () => jumpBroken(1));
  on("bar", "input", () => go(Number(el("bar").value)));
  on("fit", "click", () => { fit(); draw(); });
  on("nearer", "click", () => zoom(1.25));
  on("farther", "click", () => zoom(0.8));
  on("names", "change", draw);
  on("trail", "change", draw);
  on("follow", "change", draw);
  on("filter", "input", listEvents);
  on("object", "change", () => { const text = el("object").value; select(objects.find((one) => one.title === text) || objects.find((one) => one.id === text) || null); });
  for (const id of ["across", "upward"]) on(id, "change", () => { across = Number(el("across").value); upward = Number(el("upward").value); fit(); draw(); });
  sea.addEventListener("wheel", (event) => { event.preventDefault(); zoom(event.deltaY < 0 ? 1.15 : 1 / 1.15, event.offsetX, event.offsetY); }, { passive: false });
  let grip = null;
  sea.addEventListener("pointerdown", (event) => { grip = [event.clientX, event.clientY, false]; sea.setPointerCapture(event.pointerId); });
  sea.addEventListener("pointermove", (event) => {
    if (!grip) return;
    const dx = event.clientX - grip[0], dy = event.clientY - grip[1];
    if (!grip[2] && Math.hypot(dx, dy) < 4) return;
    grip = [event.clientX, event.clientY, true];
    view.x -= dx / view.scale; view.y += dy / view.scale;
    draw();
  });
  sea.addEventListener("pointerup", (event) => {
    if (grip && !grip[2]) {
      let best = null, least = NEAR;
      for (const [one, , px, py] of picked) { const far = Math.hypot(px - event.offsetX, py - event.offsetY); if (far < least) { best = one; least = far; } }
      select(best);
    }
    grip = null;
  });
  new ResizeObserver(() => { measure(); draw(); drawMarks(); }).observe(sea);
  dark.addEventListener("change", () => { draw(); drawMarks(); });

  // The start

  el("about").textContent = session.about;
  el("part").textContent = session.whole ? "" : `frames ${frames[0]} to ${frames[last]} of a longer session`;
  el("bar").max = last;
  for (const id of ["across", "upward"]) session.axes.names.forEach((name, axis) => { const made = cell("option", name); made.value = axis; el(id).append(made); });
  el("across").value = across; el("upward").value = upward;
  el("objects").append(...objects.slice(0, 5000).map((one) => { const made = document.createElement("option"); made.value = one.title; return made; }));
  for (const id of ["next-broken", "previous-broken"]) el(id).disabled = !broken.length;
  const asked = /[#&]frame=(\d+)/.exec(location.hash);
  if (asked) row = rowOf(Number(asked[1]));
  measure(); fit(); drawMarks(); go(row); listEvents();
  const here = broken.find((one) => one.row === row);
  if (here) pick(here.object);
  else if (objects.length === 1) pick(objects[0].id);
  const seenBody = (id) => { const one = placed.find((each) => each.id === id && sampleOf(each, row) >= 0); return one && bodyOf(one, sampleOf(one, row)); };
  window.breadcrumbReplay = { spent, bodyOf: seenBody, get row() { return row; }, get selected() { return selected && selected.title; }, frameOf: () => frames[row] };
})();
