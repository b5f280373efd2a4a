"use strict";
// Plays a session: whatever comes from it is only ever set as text.
(async () => {
  const data = JSON.parse(document.getElementById("data").textContent);
  const el = (id) => document.getElementById(id), on = (id, what, action) => el(id).addEventListener(what, action);
  const MOST_EVENTS = 300, MOST_OBJECTS = 5000, MOST_FOLLOWED = 200, SPENT = 600;
  const session = await breadcrumbSession(data), { frames, times, last } = session;
  const rules = data.rules.map((one) => ({ ...one, row: session.rowOf(one.frame) }));
  const broken = rules.flatMap((rule) => rule.broken.map(([frame, object, words]) => ({ rule, row: session.rowOf(frame), object, words }))).sort((a, b) => a.row - b.row);
  let clock = 0, playing = false, before = 0, following = false;
  const state = {
    row: data.at, selected: null, hovered: null, rule: null, excerpt: null, wrong: new Set(), around: new Set(), names: true, velocity: false, trail: 3, seconds: 10, held: null,
    hold(stretch) { state.held = stretch; if (!stretch) show(); },
    recent(seconds) {
      const found = [];
      for (let at = eventsUpTo(state.row) - 1; at >= 0 && times[state.row] - times[session.events[at].row] <= seconds && found.length < 60; at--) found.push(session.events[at]);
      return found;
    },
    named: (id, row) => (byId.get(id) || []).find((one) => session.there(one, row)),
    changed: () => { tell(); address(); },
  };
  const byId = new Map();
  for (const one of session.objects) byId.set(one.id, [...(byId.get(one.id) || []), one]);
  const map = breadcrumbMap(el("sea"), session, data.axes, state), side = breadcrumbMap(el("side"), session, data.axes, state);
  const third = [0, 1, 2].find((axis) => !data.axes.plan.includes(axis)), inSpace = session.kinds.some((kind) => kind.position && kind.position.parts === 3);
  const strips = breadcrumbStrips(el("strips"), session, state, go), marks = el("marks");
  const style = (name) => getComputedStyle(document.documentElement).getPropertyValue(name);
  const cell = (name, text) => Object.assign(document.createElement(name), { textContent: text });

  // The picture

  function draw() {
    if (following && state.selected) map.centre(state.selected);
    map.draw();
    if (!el("side").hidden) { // as far across as the plan, and at its scale
      side.view.x = map.view.x; side.view.scale = map.view.scale;
      if (following && state.selected) { const kept = map.view.x; side.centre(state.selected); side.view.x = kept; }
      side.draw();
    }
    strips.draw();
  }
  function measure() { map.measure(); if (!el("side").hidden) side.measure(); strips.measure(); drawMarks(); }
  function axesAre(across, upward) {
    map.show(across, upward);
    el("across").value = across; el("upward").value = upward;
    el("side").hidden = !inSpace || upward === third || across === third;
    side.show(across, third);
    measure(); fit();
  }
  function fit() { map.fit(); if (!el("side").hidden) side.fitUp(map.view.scale); }
  function drawMarks() {
    const brush = marks.getContext("2d"), ratio = window.devicePixelRatio || 1, box = marks.getBoundingClientRect();
    const width = (marks.width = Math.max(1, Math.round(box.width * ratio))), height = (marks.height = Math.max(1, Math.round(box.height * ratio)));
    const to = (at) => (last ? (at / last) * (width - 2) : 0);
    brush.fillStyle = style("--quiet"); brush.globalAlpha = 0.35;
    let drawn = -1;
    for (const { row } of session.events) { const x = Math.round(to(row)); if (x !== drawn) brush.fillRect(x, height * 0.55, ratio, height * 0.45); drawn = x; }
    brush.globalAlpha = 1; brush.fillStyle = style("--ink");
    for (const at of data.restarts) brush.fillRect(to(at), 0, ratio, height * 0.55);
    brush.fillStyle = style("--mark");
    for (const one of broken) brush.fillRect(to(one.row) - ratio, 0, 3 * ratio, height);
  }

  // What is told beside it

  const episode = () => (data.restarts.some((at) => at > 0) ? `  episode ${1 + data.restarts.filter((at) => at > 0 && at <= state.row).length}` : "");
  function tell() {
    const { row, selected } = state;
    el("now").textContent = `frame ${frames[row]} of ${frames[last]}  ${times[row].toFixed(3)} s${episode()}`;
    el("bar").value = row;
    el("bar").setAttribute("aria-valuetext", `frame ${frames[row]}, ${times[row].toFixed(3)} seconds`);
    const said = broken.filter((one) => one.row === row).map((one) => `${one.rule.check}: ${one.rule.sentence}${one.object ? `: ${one.object}` : ""}${one.words ? `: ${one.words}` : ""}`).join("\n");
    if (el("broken-words").textContent !== said) el("broken-words").textContent = said;
    const lines = [], add = (...texts) => { const line = document.createElement("tr"); line.append(...texts.map((text, at) => cell(at ? "td" : "th", text))); lines.push(line); };
    if (selected) {
      const piece = session.at(row), sample = piece ? session.sampleOf(piece, selected, row) : -1;
      add(selected.kind.kind, sample >= 0 ? selected.title : piece ? "not there" : "loading", "");
      if (sample >= 0) for (const property of selected.kind.properties) add(property.name, session.told(piece, selected, property, sample), property.unit);
    }
    el("values").replaceChildren(...lines);
    markEvents();
  }
  function listRules() {
    el("rules").replaceChildren(...rules.map((rule) => {
      const made = cell("button", `${times[rule.row].toFixed(3)} s  frame ${rule.frame}  ${rule.object}: ${rule.sentence}`);
      made.type = "button";
      made.addEventListener("click", () => { judge(rule); go(rule.row); pick(rule.object); });
      const line = document.createElement("li");
      line.append(made, ...followed(rule));
      rule.button = made;
      return line;
    }));
    el("rules-box").hidden = !rules.length;
  }
  function followed(rule) { // what differs after the first difference of a group
    const [, ...others] = rule.differences;
    if (!others.length) return [];
    const list = document.createElement("ol"), box = document.createElement("details");
    list.append(...others.slice(0, MOST_FOLLOWED).map((each) => {
      const [frame, object, text] = each;
      const made = cell("button", `frame ${frame}  ${object}: ${text}`), line = document.createElement("li");
      made.type = "button";
      made.addEventListener("click", () => { state.chosen = each; judge(rule); go(session.rowOf(frame)); pick(object); });
      line.append(made);
      return line;
    }));
    if (others.length > MOST_FOLLOWED) list.append(cell("li", `and ${others.length - MOST_FOLLOWED} more`));
    box.append(cell("summary", `${others.length} followed`), list);
    return [box];
  }
  function judge(rule) { // the rule whose values are shown
    state.rule = rule;
    for (const one of rules) one.button.setAttribute("aria-pressed", String(one === rule));
    if (rule) el("rules").scrollTop = rule.button.offsetTop - el("rules").offsetTop; // the list, and not the page
    showExcerpt(true);
  }
  function showExcerpt(anew) { // of those that were kept, one around this frame, if there is one of the selected object
    const kept = state.rule ? state.rule.excerpts : [], now = frames[state.row], id = state.selected && state.selected.id;
    const around = kept.filter((one) => one.frames.length && now >= one.frames[0] && now <= one.frames[one.frames.length - 1]);
    const here = around.find((one) => one.object === id) || around[0] || (anew ? kept[0] : state.excerpt) || null;
    const differing = differingNow(id);
    if (!anew && here === state.excerpt && (differing && differing.key) === state.differing) return;
    state.excerpt = here; state.differing = differing && differing.key;
    strips.judge(here, differing);
  }
  function differingNow(id) { // the difference whose values are shown: the chosen one, or the selected object's last one before this frame
    const all = state.rule ? state.rule.differences.filter(([, , , property]) => property) : [], mine = all.filter(([, object]) => object === id);
    const some = mine.length ? mine : all.slice(0, 1), begun = some.filter(([frame]) => frame <= frames[state.row]), latest = begun.length ? begun[begun.length - 1][0] : NaN;
    const chosen = some.find((each) => each === state.chosen && each[0] === frames[state.row]);
    const [frame, object, , property] = chosen || begun.find(([frame]) => frame === latest) || some[0] || [];
    if (!property) return null;
    const one = state.named(object, session.rowOf(frame)) || (byId.get(object) || [])[0], name = property.slice(property.indexOf(".") + 1);
    return one ? { one, name, key: `${one.title}~${name}` } : null;
  }
  let listed = [], found = session.events;
  const upTo = (events, row) => { let low = 0, high = events.length; while (low < high) { const middle = (low + high) >> 1; if (events[middle].row <= row) low = middle + 1; else high = middle; } return low; };
  const eventsUpTo = (row) => upTo(session.events, row);
  function listEvents() {
    const wanted = el("filter").value.trim().toLowerCase();
    found = wanted ? session.events.filter((one) => [one.name, one.by, one.on].some((text) => text.toLowerCase().includes(wanted))) : session.events;
    fillEvents();
  }
  function fillEvents() {
    const start = Math.max(0, Math.min(upTo(found, state.row - 1), found.length) - MOST_EVENTS / 2);
    listed = found.slice(start, start + MOST_EVENTS).map((one) => {
      const made = cell("button", `${frames[one.row]}  ${one.name}  ${one.by}${one.on ? ` on ${one.on}` : ""}  ${one.words}`);
      made.type = "button";
      made.addEventListener("click", () => { pick(one.by) || pick(one.on); go(one.row); });
      return [one.row, made];
    });
    el("events").replaceChildren(...listed.map(([, made]) => made));
    el("how-many").textContent = found.length > MOST_EVENTS ? `${MOST_EVENTS} of ${found.length}` : String(found.length);
    markEvents();
  }
  let marked = [];
  function markEvents() {
    const full = listed.length === MOST_EVENTS, row = state.row;
    if (full && !playing && (row < listed[0][0] || row > listed[listed.length - 1][0]) && upTo(found, row) !== found.length) { if (upTo(found, row) > 0) { listed = []; fillEvents(); return; } }
    for (const made of marked) made.classList.remove("now");
    marked = listed.filter(([at]) => at === row).map(([, made]) => made);
    for (const made of marked) made.classList.add("now");
    const next = listed.find(([at]) => at >= row);
    if (next && !playing && !el("events").matches(":focus-within")) el("events").scrollTop = next[1].offsetTop - el("events").offsetTop - 40;
  }

  // The address: a link to it shows the same

  let moved = false, asleep = 0, arrivals = 0;
  function address() {
    clearTimeout(asleep);
    if (!playing) asleep = setTimeout(setAddress, 150);
  }
  function setAddress() {
    const told = new URLSearchParams({ frame: frames[state.row] }), [across, upward] = map.axes;
    if (state.selected) told.set("object", state.selected.title);
    if (state.rule) told.set("rule", rules.indexOf(state.rule));
    for (const key of strips.keys) told.append("strip", key);
    if (across !== data.axes.plan[0]) told.set("across", across);
    if (upward !== data.axes.plan[1]) told.set("up", upward);
    if (moved) told.set("seen", [map.view.x, map.view.y, el("sea").clientWidth / map.view.scale].map((one) => Number(one.toPrecision(6))).join(","));
    if (following) told.set("follow", 1);
    if (state.velocity) told.set("velocity", 1);
    if (`#${told}` !== location.hash) history.replaceState(null, "", `#${told}`);
  }
  function read() {
    const asked = new URLSearchParams(location.hash.slice(1)), number = (name, otherwise) => (asked.has(name) && Number.isFinite(Number(asked.get(name))) ? Number(asked.get(name)) : otherwise);
    axesAre(Math.min(2, Math.max(0, number("across", data.axes.plan[0]))), Math.min(2, Math.max(0, number("up", data.axes.plan[1]))));
    const [x, y, width] = (asked.get("seen") || "").split(",").map(Number);
    moved = width > 0 && Number.isFinite(x + y);
    if (moved) Object.assign(map.view, { x, y, scale: el("sea").clientWidth / width });
    following = el("follow").checked = asked.has("follow");
    state.velocity = el("velocity").checked = asked.has("velocity");
    if (asked.has("frame")) state.row = session.rowOf(number("frame", frames[state.row]));
    for (const key of asked.getAll("strip")) strips.add(key);
    const here = broken.find((one) => one.row === state.row);
    const rule = rules[number("rule", -1)] || (here ? here.rule : null) || (asked.has("frame") ? null : rules[0]) || null;
    judge(rule);
    go(state.row);
    const wanted = asked.get("object");
    if (wanted !== null) select(session.objects.find((one) => one.title === wanted) || null);
    else if (here) pick(here.object);
    else if (session.objects.length === 1) select(session.objects[0]);
  }

  // What the user does

  function show() {
    state.wrong = new Set(broken.filter((one) => one.row === state.row).map((one) => one.object));
    state.around = new Set(state.rule ? state.rule.broken.map(([, object]) => object) : []);
    showExcerpt(false);
    draw(); tell();
  }
  function go(to) { state.row = Math.min(last, Math.max(0, to)); clock = times[state.row]; show(); address(); }
  function select(one) {
    state.selected = one;
    el("object").value = one ? one.title : "";
    el("strip-list").replaceChildren(...choices(one));
    show(); address();
  }
  function choices(one) {
    const option = (text, value) => Object.assign(cell("option", text), { value }), group = (label, options) => { const made = document.createElement("optgroup"); made.label = label; made.append(...options); return made; };
    const parts = one ? one.kind.properties.flatMap((each) => [...Array(each.parts).keys()].map((part) => option(each.parts > 1 ? `${each.name}.${"xyzw"[part] || part}` : each.name, `${one.title}~${each.name}~${part}`))) : [];
    return [option("add", ""), ...(parts.length ? [group(one.title, parts)] : []), group("events", data.events.kinds.map((name) => option(name, `event~${name}`)))];
  }
  function pick(id) {
    const mine = byId.get(id) || [], one = mine.find((each) => session.there(each, state.row)) || mine[0];
    if (one) select(one);
    return Boolean(one);
  }
  function step(way) { // to the next object that is there
    const there = session.objects.filter((one) => session.there(one, state.row)), at = there.indexOf(state.selected);
    if (there.length) select(there[(at + way + there.length) % there.length]);
  }
  function play(starts) {
    playing = starts; before = 0;
    el("play").textContent = starts ? "pause" : "play";
    if (!starts) { tell(); address(); return; }
    if (state.row === last) go(0);
    requestAnimationFrame(tick);
  }
  const spent = [], script = [];
  function tick(now) {
    if (!playing) return;
    const begun = performance.now();
    if (before && session.at(state.row)) { // while a piece is loaded the session waits
      spent.push(now - before);
      clock += ((now - before) / 1000) * Number(el("speed").value);
      while (state.row < last && times[state.row + 1] <= clock) state.row++;
      if (state.row === last) play(false);
      show();
      script.push(performance.now() - begun);
      for (const list of [spent, script]) if (list.length > SPENT) list.shift();
    }
    before = now;
    requestAnimationFrame(tick);
  }
  function second(way) { let to = state.row; while (to > 0 && to < last && Math.abs(times[to] - times[state.row]) < 1) to += way; go(to === state.row ? to + way : to); }
  function jumpBroken(way) {
    const { row } = state, next = (way > 0 ? broken.find((one) => one.row > row) || broken[0] : broken.filter((one) => one.row < row).pop() || broken[broken.length - 1]);
    if (!next) return;
    judge(next.rule); go(next.row); pick(next.object);
  }
  function zoom(by, x, y) { map.zoom(by, x, y); moved = true; draw(); address(); }
  const KEYS = {
    " ": () => play(!playing), ArrowLeft: (event) => (event.shiftKey ? second(-1) : go(state.row - 1)),
    ArrowRight: (event) => (event.shiftKey ? second(1) : go(state.row + 1)), Home: () => go(0), End: () => go(last),
    b: () => jumpBroken(1), B: () => jumpBroken(-1), "+": () => zoom(1.25), "-": () => zoom(0.8), n: () => step(1), N: () => step(-1),
    f: () => el("follow").click(), v: () => el("velocity").click(),
  };
  document.addEventListener("keydown", (event) => {
    const typing = event.target.matches("input:not([type=range]):not([type=checkbox]), select");
    const pressing = event.key === " " && event.target.matches("button, input[type=checkbox]");
    if (typing || pressing || event.ctrlKey || event.metaKey || event.altKey || !KEYS[event.key]) return;
    event.preventDefault();
    KEYS[event.key](event);
  });
  for (const form of document.forms) form.addEventListener("submit", (event) => event.preventDefault());
  on("play", "click", () => play(!playing));
  on("back", "click", () => go(state.row - 1));
  on("on", "click", () => go(state.row + 1));
  on("previous-broken", "click", () => jumpBroken(-1));
  on("next-broken", "click", () => jumpBroken(1));
  on("bar", "input", () => go(Number(el("bar").value)));
  on("fit", "click", () => { fit(); moved = false; draw(); address(); });
  on("nearer", "click", () => zoom(1.25));
  on("farther", "click", () => zoom(0.8));
  on("names", "change", () => { state.names = el("names").checked; draw(); });
  on("velocity", "change", () => { state.velocity = el("velocity").checked; draw(); address(); });
  on("trail", "change", () => { state.trail = Number(el("trail").value); draw(); });
  on("seconds", "change", () => { state.seconds = Number(el("seconds").value); draw(); });
  on("follow", "change", () => { following = el("follow").checked; draw(); address(); });
  on("filter", "input", listEvents);
  on("object", "change", () => { const text = el("object").value; select(session.objects.find((one) => one.title === text) || (byId.get(text) || [null])[0]); });
  on("strip-list", "change", () => { strips.add(el("strip-list").value); el("strip-list").value = ""; address(); });
  for (const id of ["across", "upward"]) on(id, "change", () => { axesAre(Number(el("across").value), Number(el("upward").value)); moved = false; draw(); address(); });
  for (const [canvas, picture] of [[el("sea"), map], [el("side"), side]]) {
    let grip = null;
    canvas.addEventListener("wheel", (event) => { event.preventDefault(); zoom(event.deltaY < 0 ? 1.15 : 1 / 1.15, event.offsetX, event.offsetY); }, { passive: false });
    canvas.addEventListener("pointerdown", (event) => { grip = [event.clientX, event.clientY, false]; canvas.setPointerCapture(event.pointerId); });
    canvas.addEventListener("pointerleave", () => { if (state.hovered) { state.hovered = null; draw(); } });
    canvas.addEventListener("pointermove", (event) => {
      if (!grip) { const one = picture.objectAt(event.offsetX, event.offsetY); if (one !== state.hovered) { state.hovered = one; draw(); } return; }
      const dx = event.clientX - grip[0], dy = event.clientY - grip[1];
      if (!grip[2] && Math.hypot(dx, dy) < 4) return;
      grip = [event.clientX, event.clientY, true];
      map.view.x -= dx / map.view.scale; picture.view.y += dy / map.view.scale;
      moved = true; draw(); address();
    });
    canvas.addEventListener("pointerup", (event) => { if (grip && !grip[2]) select(picture.objectAt(event.offsetX, event.offsetY)); grip = null; });
  }
  new ResizeObserver(() => { measure(); if (!moved) fit(); draw(); }).observe(el("sea"));
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => { measure(); draw(); });
  window.addEventListener("hashchange", () => { read(); });

  // The start

  el("about").textContent = data.about;
  if (data.reference) el("beside").textContent = `dashed outlines: ${data.reference}`;
  if (rules.some((rule) => rule.differences.length)) el("rules-title").textContent = "Differences and broken rules";
  el("bar").max = last;
  for (const id of ["across", "upward"]) data.axes.names.forEach((name, axis) => el(id).append(Object.assign(cell("option", name), { value: axis })));
  el("objects").append(...session.objects.slice(0, MOST_OBJECTS).map((one) => Object.assign(document.createElement("option"), { value: one.title })));
  for (const id of ["next-broken", "previous-broken"]) el(id).disabled = !broken.length;
  session.onArrival((number, complaint) => { el("part").textContent = complaint || ""; if (!arrivals++ && !moved) fit(); draw(); if (number === session.numberAt(state.row)) tell(); });
  listRules();
  select(null);
  read();
  listEvents();
  window.breadcrumbReplay = {
    spent, script, strips, map, side, bodyOf: (id) => { const one = state.named(id, state.row); return one ? map.bodyOf(one) : null; },
    get row() { return state.row; }, get selected() { return state.selected && state.selected.title; }, frameOf: () => frames[state.row], get loaded() { return Boolean(session.at(state.row)); },
  };
})();
