"use strict";
// A session: who there was when, and the values of each property, in pieces of time that are loaded as they are needed.
const breadcrumbSession = async (data) => {
  const { inflated, array } = breadcrumbPacked;
  const AHEAD = 2, BEHIND = 2, KEPT = 9, MISSING_FLAG = 2;
  const start = await inflated(data.start), unpacked = (packed) => array(start, packed);
  const frames = unpacked(data.frames), times = unpacked(data.times), last = frames.length - 1;
  const waiting = new Map(), pieces = new Map(), objects = [];
  let arrived = () => {};

  const kinds = data.kinds.map((told, number) => {
    const properties = told.properties.map((one, index) => ({
      ...one, index,
      fixed: one.fixed.length ? one.fixed.map(unpacked) : null,
      ranges: one.ranges.map((ends) => ends.map(unpacked)),
    }));
    const kind = { ...told, number, properties, first: unpacked(told.first), last: unpacked(told.last) };
    kind.position = properties.find((one) => one.name === "position" && !one.texts && !one.flag && one.parts > 1) || null;
    kind.colour = kind.hollow ? data.kinds.findIndex((one) => one.kind === kind.kind) : number; // that of its counterpart
    kind.named = new Map(properties.map((one) => [one.name, one]));
    kind.ids.forEach((id, lifetime) => objects.push({ kind, lifetime, id, title: kind.lifetimes[lifetime] > 1 ? `${id} (lifetime ${kind.lifetimes[lifetime]})` : id }));
    return kind;
  });
  const happened = (() => {
    const { kinds: names, names: who, words } = data.events, at = unpacked(data.events.at), kind = unpacked(data.events.kind);
    const by = unpacked(data.events.by), on = unpacked(data.events.on), points = new Map(data.events.points);
    return Array.from(at, (row, index) => ({
      row, name: names[kind[index]], by: by[index] < 0 ? "" : who[by[index]], on: on[index] < 0 ? "" : who[on[index]],
      words: words[index] || "", point: points.get(index) || null,
    }));
  })();

  // Pieces

  const numberAt = (row) => { // they are of nearly equal length
    let number = Math.min(data.bounds.length - 1, Math.floor((row * data.bounds.length) / frames.length));
    while (row < data.bounds[number][0]) number--;
    while (row > data.bounds[number][1]) number++;
    return number;
  };
  async function take(number, text) {
    const bytes = await inflated(text);
    const [first, end] = data.bounds[number];
    pieces.set(number, {
      first, last: end,
      kinds: data.layouts[number].map((layout, index) => {
        const lifetimes = array(bytes, layout.lifetimes), local = new Int32Array(kinds[index].ids.length).fill(-1);
        lifetimes.forEach((one, at) => { local[one] = at; });
        return {
          local, starts: array(bytes, layout.starts), rows: array(bytes, layout.rows),
          values: layout.values.map((parts) => parts.map((part) => array(bytes, part))),
        };
      }),
    });
    waiting.delete(number);
    arrived(number);
  }
  function load(number) {
    if (number < 0 || number >= data.bounds.length || pieces.has(number) || waiting.has(number)) return;
    const script = document.createElement("script");
    script.src = `${encodeURIComponent(data.folder)}/${number}.js`;
    waiting.set(number, script);
    script.onload = () => script.remove();
    script.onerror = () => { script.remove(); arrived(number, `${data.folder}/${number}.js is missing; keep the folder beside this page`); };
    document.head.append(script);
  }
  window.breadcrumbPiece = (number, text) => take(number, text);
  if (data.piece) await take(0, data.piece);
  function at(row) { // the piece of a row, or null while it is loaded; those around it are loaded too
    const number = numberAt(row), piece = pieces.get(number) || null;
    if (data.folder) {
      load(number);
      if (piece) for (let near = 1; near <= Math.max(AHEAD, BEHIND); near++) { if (near <= AHEAD) load(number + near); if (near <= BEHIND) load(number - near); }
      if (pieces.size > KEPT) for (const other of pieces.keys()) if (Math.abs(other - number) > Math.max(AHEAD, BEHIND)) pieces.delete(other);
    }
    return piece;
  }

  // Samples

  function sampleOf(piece, one, row) { // its index in a piece; between two samples, that of the one before; -1 if it is not there
    const { kind, lifetime } = one;
    if (row < kind.first[lifetime] || row > kind.last[lifetime]) return -1;
    const held = piece.kinds[kind.number], local = held.local[lifetime];
    if (local < 0) return -1;
    const { rows, starts } = held, begin = starts[local], end = starts[local + 1], guess = begin + row - rows[begin];
    if (guess >= begin && guess < end && rows[guess] === row) return guess;
    return before(rows, begin, end, row);
  }
  function before(rows, begin, end, row) { // the last index at or before a row; the first one if there is none
    let low = begin, high = end - 1;
    while (low < high) { const middle = (low + high + 1) >> 1; if (rows[middle] <= row) low = middle; else high = middle - 1; }
    return low;
  }
  const valueOf = (piece, one, property, part, sample) =>
    property.fixed ? property.fixed[part][one.lifetime] : piece.kinds[one.kind.number].values[property.index][part][sample];
  const partsOf = (piece, one, property, sample) => {
    const made = [];
    for (let part = 0; part < property.parts; part++) made.push(valueOf(piece, one, property, part, sample));
    return made;
  };
  function course(one, from, to, most, visit) { // what is loaded of an object between two rows, in steps, piece by piece
    const first = Math.max(from, one.kind.first[one.lifetime]), end = Math.min(to, one.kind.last[one.lifetime]);
    if (first > end) return;
    const step = Math.max(1, Math.ceil((end - first) / most));
    for (let number = numberAt(first); number <= numberAt(end); number++) {
      const piece = pieces.get(number), held = piece && piece.kinds[one.kind.number], local = held ? held.local[one.lifetime] : -1;
      if (local < 0) continue;
      const { rows, starts } = held, stop = before(rows, starts[local], starts[local + 1], end);
      let sample = before(rows, starts[local], starts[local + 1], first);
      sample += (step - (rows[sample] % step)) % step; // the same samples from frame to frame, so that nothing flickers
      if (rows[stop] <= end) visit(piece, rows, Math.min(sample, stop), stop, step);
    }
  }
  function rowOf(frame) { return firstAtLeast(frames, frame); }
  function rowAt(time) { const row = firstAtLeast(times, time); return row > 0 && time - times[row - 1] < times[row] - time ? row - 1 : row; }
  function firstAtLeast(rising, value) {
    let low = 0, high = last;
    while (low < high) { const middle = (low + high) >> 1; if (rising[middle] < value) low = middle + 1; else high = middle; }
    return low;
  }
  const words = (value) => (Number.isFinite(value) ? String(Number(value.toPrecision(6))) : "missing or no number");
  function told(piece, one, property, sample) {
    const [first, ...others] = partsOf(piece, one, property, sample);
    if (property.texts) return first < 0 ? "missing" : property.texts[first];
    if (property.flag) return first === MISSING_FLAG ? "missing" : String(first === 1);
    return others.length ? `(${[first, ...others].map(words).join(", ")})` : words(first);
  }
  const shown = objects.filter((one) => !one.kind.hollow); // those of a second session are only drawn
  const counterparts = (one) => objects.filter((other) => other.kind.hollow && other.id === one.id && other.kind.kind === one.kind.kind);
  return {
    counterparts, frames, times, last, kinds, ends: data.ends, objects: shown, events: happened, at, numberAt, sampleOf, valueOf, partsOf, course, rowOf, rowAt, told, words,
    placed: objects.filter((one) => one.kind.position),
    onArrival(action) { arrived = action; },
    there: (one, row) => row >= one.kind.first[one.lifetime] && row <= one.kind.last[one.lifetime],
  };
};
