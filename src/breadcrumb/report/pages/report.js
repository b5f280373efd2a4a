"use strict";
// The tables of a report: filtered, sorted, a page at a time; whatever comes from a session is only ever set as text.
(() => {
  const data = JSON.parse(document.getElementById("data").textContent);
  const el = (id) => document.getElementById(id);
  const PAGE = 100, RULES = 20, SESSIONS = 30, BREAKS = 12, ORDER = { broken: 0, error: 1, untested: 2, known: 3, held: 4 };
  const NAMES = Object.fromEntries(Object.entries(data.codes).map(([name, code]) => [code, name]));
  const checks = data.checks.length, outcomes = breadcrumbPacked.plain(data.outcomes, "u1");
  const said = new Map(data.said.map(([row, word]) => [row, data.words[word]]));
  const rules = data.rules.map((one) => ({
    ...one, outcomes: breadcrumbPacked.plain(one.outcomes, "u1"), margins: one.margins && breadcrumbPacked.plain(one.margins, "f4"),
    allowed: one.allowed && breadcrumbPacked.plain(one.allowed, "f4"),
  }));
  const rulesOf = data.checks.map((_, check) => rules.filter((one) => one.check === check && one.margins));
  const checkOf = (row) => row % checks, sessionOf = (row) => Math.floor(row / checks);
  const name = (row) => data.checks[checkOf(row)][1], session = (row) => data.sessions[sessionOf(row)];
  const number = (value) => (Math.abs(value) >= 1e4 && Math.abs(value) < 1e9 ? String(Math.round(value)) : String(Number(value.toPrecision(4))));
  const make = (tag, text, style) => { const made = document.createElement(tag); made.textContent = text; if (style) made.className = style; return made; };

  function tightest(row) { // the rule of a check with the smallest margin, as a share of what is allowed
    let best = null, least = Infinity;
    for (const one of rulesOf[checkOf(row)]) {
      const share = one.margins[sessionOf(row)] / one.allowed[sessionOf(row)];
      if (share < least) { least = share; best = one; }
    }
    return [best, least];
  }
  function marginWords(row) {
    const [one, share] = tightest(row);
    if (!one) return "";
    const value = one.margins[sessionOf(row)], unit = one.unit ? ` ${one.unit}` : "";
    return `${number(value)}${unit}` + (value >= 0 ? ` (${Math.round(share * 100)}% of ${number(one.allowed[sessionOf(row)])})` : "");
  }

  // A table that is shown a page at a time.
  function paged({ prefix, size, count, find, show }) {
    let found = [], start = 0;
    const body = document.querySelector(`#${prefix.table} tbody`);
    function turn() {
      body.replaceChildren(...found.slice(start, start + size).map(show));
      const end = Math.min(start + size, found.length);
      el(count).textContent = found.length > size ? `${start + 1} to ${end} of ${found.length}` : `${found.length}`;
      el(prefix.earlier).disabled = start === 0;
      el(prefix.later).disabled = end >= found.length;
    }
    function again() { found = find(); start = 0; turn(); }
    el(prefix.earlier).addEventListener("click", () => { start = Math.max(0, start - size); turn(); });
    el(prefix.later).addEventListener("click", () => { start += size; turn(); });
    return { again, turn };
  }
  const asks = (id) => el(id).value.trim().toLowerCase();
  const cell = (line, made) => { const td = document.createElement("td"); td.append(made); line.append(td); return td; };
  function link(line, text, row) {
    const anchor = `r${sessionOf(row)}-${checkOf(row)}`;
    if (!el(anchor)) { cell(line, text); return; }
    const made = make("a", text);
    made.href = `#${anchor}`;
    made.addEventListener("click", () => { el(anchor).open = true; });
    cell(line, made);
  }

  // Rules

  const drawAll = () => document.querySelectorAll("#rule-table canvas").forEach((one) => breadcrumbMargins.draw(one, one.rule, data.codes));
  const ruleTable = paged({
    prefix: { table: "rule-table", earlier: "rules-earlier", later: "rules-later" }, size: RULES, count: "rule-count",
    find: () => rules.filter((one) => !asks("rule-text") || `${one.id} ${one.sentence}`.toLowerCase().includes(asks("rule-text"))),
    show: (rule) => {
      const line = document.createElement("tr"), counts = { broken: 0, untested: 0, known: 0, held: 0 };
      for (const code of rule.outcomes) if (NAMES[code] in counts) counts[NAMES[code]]++;
      const told = cell(line, make("bdi", rule.sentence));
      told.append(make("br", ""), make("code", rule.id, "quiet"));
      const summary = Object.entries(counts).filter(([, many]) => many);
      const tally = cell(line, "");
      summary.forEach(([outcome, many]) => tally.append(make("span", `${many} ${outcome} `, outcome)));
      const canvas = document.createElement("canvas");
      canvas.rule = rule;
      canvas.setAttribute("role", "img");
      canvas.setAttribute("aria-label", `margins: ${summary.map(([outcome, many]) => `${many} ${outcome}`).join(", ")}`);
      canvas.addEventListener("click", (event) => {
        const at = breadcrumbMargins.near(canvas, rule, data.codes, event.offsetX);
        if (at < 0) return;
        el("outcome").value = "";
        el("text").value = `${data.checks[rule.check][1]} ${data.sessions[at]}`;
        outcomeTable.again();
        el("outcomes").scrollIntoView();
      });
      cell(line, canvas).className = "margins";
      return line;
    },
  });
  const showRules = () => { ruleTable.again(); drawAll(); };
  el("rule-text").addEventListener("input", showRules);
  for (const id of ["rules-earlier", "rules-later"]) el(id).addEventListener("click", drawAll);
  window.addEventListener("resize", drawAll);
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", drawAll);

  // Sessions

  if (data.broken.length) {
    const sessionTable = paged({
      prefix: { table: "session-table", earlier: "sessions-earlier", later: "sessions-later" }, size: SESSIONS, count: "session-count",
      find: () => data.broken.filter(([at]) => data.sessions[at].toLowerCase().includes(asks("session-text"))),
      show: ([at, breaks]) => {
        const line = document.createElement("tr"), list = document.createElement("ol");
        cell(line, make("bdi", data.sessions[at]));
        for (const [check, frame, words] of breaks.slice(0, BREAKS)) {
          const item = make("li", "");
          item.append(make("strong", check), make("span", frame === null ? `  ${words}` : `  ${words}`));
          list.append(item);
        }
        if (breaks.length > BREAKS) list.append(make("li", `and ${breaks.length - BREAKS} more rules`, "quiet"));
        cell(line, list);
        return line;
      },
    });
    el("session-text").addEventListener("input", sessionTable.again);
    sessionTable.again();
  }

  // Outcomes

  const heads = [...document.querySelectorAll("#table th[aria-sort]")];
  let sort = "outcome", way = 1;
  const KEYS = {
    outcome: (row) => ORDER[NAMES[outcomes[row]]], check: name, session, margin: (row) => tightest(row)[1],
  };
  function findOutcomes() {
    const code = data.codes[el("outcome").value] || 0, text = asks("text");
    const mine = text && data.checks.map(([file, check]) => `${check} ${file} `.toLowerCase()), found = [];
    for (let row = 0; row < outcomes.length; row++) {
      if (!outcomes[row] || (code && outcomes[row] !== code)) continue;
      if (!text || `${mine[checkOf(row)]}${session(row).toLowerCase()}`.includes(text) || `${name(row)} ${session(row)}`.toLowerCase().includes(text)) found.push(row);
    }
    const key = KEYS[sort], keys = new Map();
    if (sort === "outcome") { // heaps are faster than a sort of millions
      const heaps = Object.keys(ORDER).map(() => []);
      for (const row of found) heaps[KEYS.outcome(row)].push(row);
      return (way > 0 ? heaps : heaps.reverse()).flat();
    }
    for (const row of found) keys.set(row, key(row));
    return found.sort((a, b) => { const x = keys.get(a), y = keys.get(b); return x < y ? -way : x > y ? way : a - b; });
  }
  const outcomeTable = paged({
    prefix: { table: "table", earlier: "earlier", later: "later" }, size: PAGE, count: "how-many", find: findOutcomes,
    show: (row) => {
      const line = document.createElement("tr"), outcome = NAMES[outcomes[row]];
      line.append(make("td", outcome, outcome));
      link(line, name(row), row);
      line.append(make("td", session(row)), make("td", marginWords(row), "number"), make("td", said.get(row) || ""));
      return line;
    },
  });
  const again = () => {
    outcomeTable.again();
    for (const head of heads) head.setAttribute("aria-sort", head.firstElementChild.dataset.sort !== sort ? "none" : way > 0 ? "ascending" : "descending");
  };
  for (const head of heads) {
    const button = head.firstElementChild;
    button.addEventListener("click", () => { way = sort === button.dataset.sort ? -way : 1; sort = button.dataset.sort; again(); });
  }
  el("outcome").addEventListener("change", again);
  el("text").addEventListener("input", again);
  showRules();
  again();
})();
