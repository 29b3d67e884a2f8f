// Filters and sorts the tables, and marks the current view. The page is complete without it.
"use strict";
for (const label of document.querySelectorAll(".find")) {
  const input = label.querySelector("input"), shown = label.querySelector("output");
  const rows = [...document.getElementById(input.dataset.rows).querySelectorAll("[data-row]")];
  input.addEventListener("input", () => {
    const words = input.value.toLowerCase().split(/\s+/).filter(Boolean);
    let count = 0;
    for (const row of rows) {
      const text = row.textContent.toLowerCase();
      row.hidden = !words.every((w) => text.includes(w));
      if (!row.hidden) count++;
    }
    shown.textContent = words.length ? count + " of " + rows.length : "";
  });
  label.hidden = rows.length < 8;
}
for (const head of document.querySelectorAll("thead th")) {
  const table = head.closest("table");
  if (table.tBodies[0].rows.length < 2 || !head.textContent.trim()) continue;
  const button = document.createElement("button");
  button.append(...head.childNodes);
  head.append(button);
  button.addEventListener("click", () => {
    const column = head.cellIndex, body = table.tBodies[0];
    const down = head.getAttribute("aria-sort") !== "descending";
    const key = (row) => {
      const cell = row.cells[column];
      return cell.dataset.v === undefined ? cell.textContent.trim() : Number(cell.dataset.v);
    };
    const rows = [...body.rows].sort((a, b) => {
      const x = key(a), y = key(b);
      return (typeof x === "number" ? x - y : String(x).localeCompare(String(y))) * (down ? -1 : 1);
    });
    for (const other of table.querySelectorAll("[aria-sort]")) other.removeAttribute("aria-sort");
    head.setAttribute("aria-sort", down ? "descending" : "ascending");
    body.append(...rows);
  });
}
const links = [...document.querySelectorAll(".views a")];
const seen = new IntersectionObserver((entries) => {
  for (const entry of entries) {
    if (!entry.isIntersecting) continue;
    for (const a of links) {
      if (a.hash === "#" + entry.target.id) {
        a.setAttribute("aria-current", "true");
        const bar = a.closest(".views");
        bar.scrollLeft = a.offsetLeft - (bar.clientWidth - a.offsetWidth) / 2;
      } else a.removeAttribute("aria-current");
    }
  }
}, { rootMargin: "-20% 0px -75% 0px" });
for (const section of document.querySelectorAll("main section")) seen.observe(section);
