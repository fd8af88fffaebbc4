// The dialog that takes a picture out as a file: small ones are fetched at once, large ones are made by a job.
import { note, post } from "./page.js";

const id = (name) => document.getElementById(name);
const KEPT = ["maker", "licence"];

// layers(): the numbers of the layers in hand, where there are any.
export function takeOut(button, layers = () => []) {
  const [dialog, form] = [id("take-out-dialog"), id("take-out")];
  KEPT.forEach((name) => {
    form.elements[name].value = localStorage.getItem(`orvix-${name}`) ?? "";
  });
  const shown = () => {
    id("take-out-quality").classList.toggle("hidden", form.elements.format.value !== "jpeg");
    id("take-out-not").textContent = "";
  };
  form.addEventListener("input", shown);
  button.addEventListener("click", () => {
    shown();
    dialog.showModal();
  });
  form.querySelector("[data-close-out]").addEventListener("click", () => dialog.close());
  form.addEventListener("submit", async (event) => {
    event.preventDefault();
    KEPT.forEach((name) => localStorage.setItem(`orvix-${name}`, form.elements[name].value));
    form.elements.layers.value = layers().join(",");
    const answer = await post(form.action, new FormData(form));
    // What cannot be done is said where it can be changed.
    if (answer.refused) {
      id("take-out-not").textContent = answer.refused;
      return;
    }
    dialog.close();
    if (answer.flattened?.length) note("Flattened in the exported file", answer.flattened.join(". "));
    if (answer.href) window.location.assign(answer.href);
    else window.htmx.ajax("GET", `${form.dataset.jobs}?active=${answer.job},`, { target: "#jobs", swap: "outerHTML" });
  });
}
