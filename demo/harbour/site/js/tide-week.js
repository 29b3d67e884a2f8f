// The heights of high water in the coming week, in metres.
import "../css/parts/tide-week.css";

const week = { Mon: 3.1, Tue: 3.4, Wed: 3.8, Thu: 4.1, Fri: 4.2, Sat: 4.0, Sun: 3.7 };

export function showWeek(place) {
  for (const [day, height] of Object.entries(week)) {
    place.insertAdjacentHTML("beforeend", `
      <p class="tide-day${height > 4 ? " is-spring" : ""}" style="--height: ${height}">
        ${day} ${height.toFixed(1)}
      </p>`);
  }
  place.hidden = false;
}
