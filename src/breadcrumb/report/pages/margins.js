"use strict";
// The margins of one rule over all sessions: a dot each, or the height of a bin where dots would lie over one another.
const breadcrumbMargins = (() => {
  const HIGH = 40, FLOOR = 28, BIN = 6, DOT = 2.5;
  const style = (name) => getComputedStyle(document.documentElement).getPropertyValue(name);
  const words = (value) => String(Number(value.toPrecision(3)));

  // Which sessions stand where: those without a margin at an end of the axis, by what came of them.
  function place(outcomes, margins, codes) {
    const found = [];
    let low = 0, high = 0;
    for (let at = 0; at < outcomes.length; at++) {
      const value = margins ? margins[at] : NaN, broken = outcomes[at] === codes.broken || outcomes[at] === codes.known;
      if (!broken && outcomes[at] !== codes.held) continue;
      if (Number.isFinite(value)) { low = Math.min(low, value); high = Math.max(high, value); }
      found.push([at, Number.isFinite(value) ? value : broken ? -Infinity : Infinity, broken]);
    }
    return { found, low: low === high ? -1 : low, high: low === high ? 1 : high };
  }
  function draw(canvas, rule, codes) {
    const ratio = window.devicePixelRatio || 1, wide = canvas.clientWidth;
    canvas.width = wide * ratio; canvas.height = HIGH * ratio;
    const paint = canvas.getContext("2d");
    paint.setTransform(ratio, 0, 0, ratio, 0, 0);
    const { found, low, high } = place(rule.outcomes, rule.margins, codes), span = high - low;
    const left = 8, across = wide - 16;
    const toX = (value) => left + across * Math.min(Math.max((value - low) / span, 0), 1);
    const zero = toX(0);
    if (low < 0) { paint.fillStyle = style("--mark"); paint.globalAlpha = 0.14; paint.fillRect(0, 0, zero, FLOOR + 2); paint.globalAlpha = 1; }
    paint.strokeStyle = style("--line"); paint.beginPath(); paint.moveTo(0, FLOOR + 2); paint.lineTo(wide, FLOOR + 2); paint.moveTo(zero, 0); paint.lineTo(zero, FLOOR + 2); paint.stroke();
    const bins = new Map();
    for (const [, value, broken] of found) {
      const bin = Math.floor(toX(value) / BIN), one = bins.get(bin) || [0, 0];
      one[broken ? 1 : 0]++;
      bins.set(bin, one);
    }
    const most = Math.max(1, ...[...bins.values()].map(([held, broken]) => held + broken));
    const rise = Math.min(2 * DOT, FLOOR / most);
    for (const [bin, [held, broken]] of bins) {
      let y = FLOOR;
      for (const [count, colour] of [[broken, "--mark"], [held, "--held"]]) {
        paint.fillStyle = style(colour);
        if (rise < 2 * DOT) { paint.fillRect(bin * BIN, y - count * rise, BIN - 1, count * rise); y -= count * rise; continue; }
        for (let n = 0; n < count; n++, y -= rise) { paint.beginPath(); paint.arc(bin * BIN + BIN / 2, y - DOT, DOT, 0, 7); paint.fill(); }
      }
    }
    paint.fillStyle = style("--quiet"); paint.font = "10px system-ui, sans-serif";
    if (!rule.margins) { paint.fillText("broken", 2, HIGH - 1); paint.textAlign = "right"; paint.fillText("held", wide - 2, HIGH - 1); return; }
    paint.fillText(`${words(low)} ${rule.unit}`, 2, HIGH - 1);
    paint.textAlign = "right"; paint.fillText(`${words(high)} ${rule.unit}`, wide - 2, HIGH - 1);
    if (zero > 60 && zero < wide - 60) { paint.textAlign = "center"; paint.fillText("0", zero, HIGH - 1); }
  }
  // The session whose dot is nearest to a place on the canvas.
  function near(canvas, rule, codes, x) {
    const { found, low, high } = place(rule.outcomes, rule.margins, codes);
    const value = low + ((x - 8) / (canvas.clientWidth - 16)) * (high - low);
    let best = -1, least = Infinity;
    for (const [at, margin] of found) {
      const far = Math.abs(Math.min(Math.max(margin, low), high) - value);
      if (far < least) { best = at; least = far; }
    }
    return best;
  }
  return { draw, near };
})();
