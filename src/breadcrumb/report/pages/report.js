"use strict";
// The table of outcomes: filtered, sorted, a page at a time; whatever comes from a session is only ever set as text.
(() => {
  const data = JSON.parse(document.getElementById("data").textContent);
  const el = (id) => document.getElementById(id);
  const PAGE = 100, ORDER = { broken: 0, error: 1, untested: 2, held: 3 };
  const body = document.querySelector("#table tbody"), heads = [...document.querySelectorAll("#table th[aria-sort]")];
  const name = (row) => data.checks[row[0]][1], session = (row) => data.sessions[row[1]];
  const KEYS = {
    outcome: (row) => ORDER[row[2]], check: name, session, margin: (row) => (row[3] === null ? Infinity : row[3]),
  };
  let sort = "outcome", way = 1, start = 0, found = [];

  function find() {
    const outcome = el("outcome").value, text = el("text").value.trim().toLowerCase(), key = KEYS[sort];
    found = data.rows.map((row, place) => [row, place]).filter(([row]) =>
      (!outcome || row[2] === outcome) && (!text || `${name(row)} ${data.checks[row[0]][0]} ${session(row)}`.toLowerCase().includes(text)));
    found.sort(([a, at], [b, bt]) => { const x = key(a), y = key(b); return x < y ? -way : x > y ? way : at - bt; });
    start = 0;
    show();
  }
  function show() {
    body.replaceChildren(...found.slice(start, start + PAGE).map(([row, place]) => {
      const line = document.createElement("tr");
      const add = (text, style) => { const made = document.createElement("td"); made.textContent = text; if (style) made.className = style; line.append(made); return made; };
      add(row[2], row[2]);
      const check = add("");
      if (document.getElementById(`r${place}`)) {
        const link = document.createElement("a");
        link.href = `#r${place}`;
        link.textContent = name(row);
        link.addEventListener("click", () => { el(`r${place}`).open = true; });
        check.append(link);
      } else check.textContent = name(row);
      add(session(row)); add(row[4], "number"); add(row[5]);
      return line;
    }));
    const end = Math.min(start + PAGE, found.length);
    el("how-many").textContent = found.length > PAGE ? `${start + 1} to ${end} of ${found.length}` : `${found.length}`;
    el("earlier").disabled = start === 0;
    el("later").disabled = end === found.length;
    for (const head of heads) head.setAttribute("aria-sort", head.firstElementChild.dataset.sort !== sort ? "none" : way > 0 ? "ascending" : "descending");
  }
  for (const head of heads) {
    const button = head.firstElementChild;
    button.addEventListener("click", () => { way = sort === button.dataset.sort ? -way : 1; sort = button.dataset.sort; find(); });
  }
  el("outcome").addEventListener("change", find);
  el("text").addEventListener("input", find);
  el("earlier").addEventListener("click", () => { start = Math.max(0, start - PAGE); show(); });
  el("later").addEventListener("click", () => { start += PAGE; show(); });
  find();
})();
