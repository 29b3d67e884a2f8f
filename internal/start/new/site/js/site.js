const bell = document.querySelector(".bell");

bell.addEventListener("click", () => {
  bell.classList.toggle("is-ringing");
});
