// The home page: the last works as living pictures, and a key for each way to begin.

import { Keys } from "./keys.js";

// A repeat drifts slowly, copy after copy, so its picture is as wide as one copy; anything else covers its frame.
function hang(frame) {
  const picture = new Image();
  picture.addEventListener("load", () => {
    frame.style.backgroundImage = `url("${picture.src}")`;
    frame.style.setProperty("--copy", `${picture.naturalWidth}px`);
    frame.dataset.shown = "yes";
  });
  picture.src = frame.dataset.picture;
}

document.querySelectorAll("[data-picture]").forEach(hang);
new Keys({ nth: (n) => /** @type {HTMLElement | null} */ (document.querySelector(`[data-door="${n}"]`))?.click() });
