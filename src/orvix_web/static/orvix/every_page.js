// What every page does from its start: listens for changes so that the strip follows them, and shows refusals.
import { openKeys } from "./key_table.js";
import { Keys } from "./keys.js";
import { Connection } from "./connection.js";
import { takeFiles } from "./intake.js";
import "./number_fields.js";
import { readTold } from "./live.js";
import { note, post, refuse } from "./page.js";
import "./rename.js";
import { takeOut } from "./take_out.js";

const SIGNED_OUT = 4401;

function told(news) {
  if (news.kind === "draft") document.dispatchEvent(new CustomEvent("orvix-draft", { detail: news }));
  else if (news.kind === "listening") {
    document.body.dataset.listening = "yes";
    document.dispatchEvent(new CustomEvent("orvix-listening"));
  } else window.htmx.trigger(document.body, "orvix-changed");
}

// Signed out elsewhere: only signing in helps, so it does not come back by itself.
function lost(code) {
  if (code !== SIGNED_OUT) return true;
  window.location.assign(`/sign-in/?${new URLSearchParams({ next: window.location.pathname })}`);
  return false;
}

document.body.addEventListener("orvix-told", ({ detail }) => note(detail.title, detail.message));
document.body.addEventListener("htmx:beforeSwap", (event) => {
  const { xhr } = event.detail;
  if (xhr.status >= 400) {
    event.detail.shouldSwap = true;
    event.detail.isError = false;
    event.detail.target = document.getElementById("refusals");
    event.detail.swapOverride = "innerHTML";
  }
});
document.body.addEventListener("htmx:sendError", () =>
  refuse(
    "Orvix is not answering. Your settings are still on this page. Check that the server is running, then try again.",
  ),
);
// A form that is one file is sent once that is chosen.
document.addEventListener("change", ({ target }) => {
  if (target.matches("input[type=file][data-sends]")) target.form.submit();
  if (target.matches("input[type=file][data-asks]")) target.form.requestSubmit();
});
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-dismiss]")) event.target.closest(".refusal").remove();
});
// One popover at a time: the next one, a press outside and Escape close it, and the focus goes back to its control.
const openDrawers = () => [...document.querySelectorAll("details.drawer[open]")];
document.addEventListener(
  "toggle",
  ({ target }) => {
    if (target.matches?.("details.drawer[open]")) openDrawers().forEach((one) => (one.open = one === target));
  },
  { capture: true },
);
document.addEventListener(
  "pointerdown",
  ({ target }) => openDrawers().forEach((one) => (one.open = one.contains(target))),
  { capture: true },
);
document.addEventListener("keydown", (event) => {
  if (event.key !== "Escape") return;
  openDrawers().forEach((one) => {
    one.open = false;
    one.querySelector("summary").focus();
    event.stopImmediatePropagation();
  });
});
takeFiles(refuse);
const takesOut = document.getElementById("take-it-out");
if (takesOut) takeOut(takesOut);
document.getElementById("keys-open")?.addEventListener("click", openKeys);
// Where the window is narrow, tools fold into a button of their own and open over it.
const folds = [...document.querySelectorAll("[data-folds]")];
const unfold = (button, on) => {
  document.getElementById(button.dataset.folds).classList.toggle("open", on);
  button.setAttribute("aria-expanded", String(on));
};
document.addEventListener("pointerdown", ({ target }) =>
  folds.forEach((one) => {
    const within = document.getElementById(one.dataset.folds).contains(target);
    if (!within) unfold(one, one.contains(target) && one.getAttribute("aria-expanded") !== "true");
  }),
);
folds.forEach((one) =>
  one.addEventListener("keydown", ({ key }) => {
    if (key === "Enter" || key === " ") unfold(one, one.getAttribute("aria-expanded") !== "true");
  }),
);
document.getElementById("theme")?.addEventListener("click", async ({ currentTarget }) => {
  const value = document.documentElement.dataset.theme === "dim" ? "light" : "dim";
  document.documentElement.dataset.theme = value;
  currentTarget.setAttribute("aria-pressed", String(value === "dim"));
  const answer = await post("/preferences/", { name: "theme", value });
  if (answer.refused) refuse(answer.refused);
});
// The picture alone; a hint says how the tools come back.
function viewOnly(on = !document.body.classList.contains("view-only")) {
  document.body.classList.toggle("view-only", on);
  if (!on) return;
  const hint = document.getElementById("view-only-hint");
  hint.textContent = `${hint.dataset.key} shows the tools again`;
}
document.querySelectorAll("[data-view-only]").forEach((one) => one.addEventListener("click", () => viewOnly()));
const benches = document.querySelector("main.stage, main.bench");
new Keys({
  find: () => /** @type {HTMLElement | null} */ (document.querySelector("input[type=search]"))?.focus(),
  keys: () => openKeys(),
  ...(benches ? { "view-only": () => viewOnly() } : {}),
  close: () => {
    viewOnly(false);
    folds.forEach((one) => unfold(one, false));
  },
});
new Connection("/live/notices/", { took: (buffer) => told(readTold(buffer)), lost });
