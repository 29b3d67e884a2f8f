// Notices can be put away; the kind of each gives it its colour.
for (const notice of document.querySelectorAll(".notice[data-kind]")) {
  notice.classList.add("notice-" + notice.dataset.kind);
  notice.addEventListener("click", () => notice.classList.toggle("is-read"));
}

for (const ticket of document.querySelectorAll(".ticket")) {
  ticket.addEventListener("click", () => {
    document.querySelector(".ticket.is-chosen")?.classList.remove("is-chosen");
    ticket.classList.add("is-chosen");
  });
}
