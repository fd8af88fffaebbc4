// A name in the head is changed where it stands: a click or Enter opens it, Enter saves it, Escape leaves it as it was.
import { post, refuse } from "./page.js";

const MOST_LETTERS = 120;

async function save(heading, was, name) {
  heading.textContent = name;
  const answer = await post(heading.dataset.rename, { name });
  if (answer.refused) {
    heading.textContent = was;
    refuse(answer.refused);
    return;
  }
  heading.textContent = answer.name;
  document.title = document.title.replace(was, answer.name);
}

function open(heading) {
  const was = heading.textContent;
  const field = Object.assign(document.createElement("input"), { value: was, maxLength: MOST_LETTERS });
  field.className = "line";
  field.setAttribute("aria-label", "Name");
  heading.replaceChildren(field);
  field.select();
  let opened = true;
  const close = (saves) => {
    if (!opened) return;
    opened = false;
    const name = field.value.trim();
    const focused = document.activeElement === field;
    heading.textContent = was;
    if (focused) heading.focus();
    if (saves && name && name !== was) save(heading, was, name);
  };
  field.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key === "Enter") close(true);
    if (event.key === "Escape") close(false);
  });
  field.addEventListener("blur", () => close(true));
}

const closed = (target) => {
  const heading = target.closest?.("[data-rename]");
  return heading && !heading.querySelector("input") ? heading : null;
};
document.addEventListener("click", ({ target }) => closed(target) && open(closed(target)));
document.addEventListener("keydown", (event) => {
  if (event.key !== "Enter" || !closed(event.target)) return;
  event.preventDefault();
  open(closed(event.target));
});
