// The tides: the page links the sheet that is imported here; the week and its own
// sheet are loaded when somebody asks for them.
import "../css/parts/tide.css";

const offer = document.querySelector("[data-tides]");
offer.hidden = false; // it is of no use without this script

offer.addEventListener("click", async () => {
  const { showWeek } = await import("./tide-week.js");
  showWeek(document.querySelector(".tide-week"));
  offer.remove();
});
