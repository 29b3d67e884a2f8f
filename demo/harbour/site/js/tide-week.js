// The heights of high water in the coming week, in metres.
import "../css/parts/tide-week.css";

const week = { Mon: 3.1, Tue: 3.4, Wed: 3.8, Thu: 4.1, Fri: 4.2, Sat: 4.0, Sun: 3.7 };

export function showWeek(place) {
  for (const [day, height] of Object.entries(week)) {
    const bar = document.createElement("p");
    bar.className = height > 4 ? "tide-day is-spring" : "tide-day";
    bar.style.setProperty("--height", height);
    bar.textContent = `${day} ${height.toFixed(1)}`;
    place.append(bar);
  }
  place.hidden = false;
}
