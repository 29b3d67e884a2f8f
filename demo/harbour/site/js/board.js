// The departure board: what has left, and what leaves next.
const now = new Date();
const minutes = now.getHours() * 60 + now.getMinutes();
let next = true;

for (const row of document.querySelectorAll(".board tbody tr")) {
  const [hour, minute] = row.querySelector(".time").textContent.split(":").map(Number);
  const status = row.querySelector("[data-status]");
  if (status) status.classList.add(`status-${status.dataset.status}`);
  if (hour * 60 + minute < minutes) {
    row.classList.add("is-departed");
  } else if (next) {
    row.classList.add("is-next");
    next = false;
  }
}
