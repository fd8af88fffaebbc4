// The table of keys: it rises over any page, and a key is changed by pressing another one while its row listens.
import { combinationOf } from "./keys.js";
import { post } from "./page.js";

const sheet = () => /** @type {HTMLDialogElement} */ (document.getElementById("keys-sheet"));
const MODIFIERS = ["Shift", "Alt", "Control", "Meta"];
let listening = /** @type {HTMLElement | null} */ (null);

// The page's own keys follow what the table says now.
function taken() {
  const kept = document.getElementById("keys");
  const now = JSON.parse(kept.textContent);
  document.querySelectorAll(".keycap[data-key]").forEach((one) => {
    now[one.dataset.key] = one.textContent;
  });
  kept.textContent = JSON.stringify(now);
  document.dispatchEvent(new CustomEvent("orvix-keys"));
}

function hear(button) {
  stopHearing();
  listening = button;
  button.classList.add("listens");
  button.textContent = "Press a key";
}

function stopHearing() {
  if (!listening) return;
  listening.classList.remove("listens");
  listening.textContent = JSON.parse(document.getElementById("keys").textContent)[listening.dataset.key];
  listening = null;
}

async function change(name, key) {
  const answer = await post("/keys/change/", { name, key });
  if (answer.refused) {
    stopHearing();
    document.getElementById("key-words").textContent = answer.refused;
    return;
  }
  listening = null;
  await window.htmx.ajax("GET", "/keys/", { target: ".key-table", swap: "outerHTML" });
  taken();
  /** @type {HTMLElement} */ (document.querySelector(`.keycap[data-key="${name}"]`)).focus();
}

export function openKeys() {
  window.htmx.ajax("GET", sheet().dataset.href, { target: sheet(), swap: "innerHTML" }).then(() => {
    if (!sheet().open) sheet().showModal();
  });
}

document.addEventListener("click", ({ target }) => {
  const button = target.closest(".keycap[data-key]");
  if (button) hear(button);
  else stopHearing();
  if (target.closest("[data-close-keys]")) {
    if (sheet().open) sheet().close();
    else window.history.back();
  }
  if (target === sheet()) sheet().close();
});
document.addEventListener(
  "keydown",
  (event) => {
    if (!listening || MODIFIERS.includes(event.key) || event.key === "Tab") return;
    event.preventDefault();
    event.stopImmediatePropagation();
    if (event.key === "Escape") stopHearing();
    else change(listening.dataset.key, combinationOf(event));
  },
  { capture: true },
);
document.body.addEventListener("htmx:afterSwap", ({ detail }) => {
  if (detail.requestConfig.path === "/keys/reset/") taken();
});
