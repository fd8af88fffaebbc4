// Readings into words and small pictures.
import { svg } from "./svg.js";

export function drawBars(shares) {
  const box = document.getElementById("tone-bars");
  const most = Math.max(...shares, 1e-6);
  box.replaceChildren(
    ...shares.map((share, n) => {
      const height = Math.max((share / most) * 28, 0.7);
      return svg("rect", { x: n * 10 + 1, y: 30 - height, width: 8, height });
    }),
  );
}

export const percent = (share) => (100 * share).toFixed(0);
export const times = (value) => value.toFixed(2);
