// Readings into words and small pictures.
import { svg } from "./svg.js";

function seamWords(seam) {
  if (seam.by_construction) return "closes by construction";
  return { seamless: "closes", faint: "faint", visible: "visible" }[seam.verdict];
}

// The scale runs from 0 to 3.3 with the good range up to 1.10 at a third of it.
function pointSeam(value) {
  document.getElementById("seam-at").setAttribute("transform", `translate(${Math.min(value / 1.1 / 3, 1) * 200} 0)`);
}

export function drawBars(shares) {
  const box = document.getElementById("tone-bars");
  const most = Math.max(...shares, 1e-6);
  box.replaceChildren(...shares.map((share, n) => {
    const height = Math.max((share / most) * 28, 0.7);
    return svg("rect", { x: n * 10 + 1, y: 30 - height, width: 8, height });
  }));
}

export const percent = (share) => (100 * share).toFixed(0);
export const times = (value) => value.toFixed(2);

// Put a seam reading into the state of a bench: verdict, number, and the overlay where it is shown.
export function takeSeam(bench, seam) {
  const good = seam.verdict === "seamless";
  bench.seam = seam;
  bench.verdict = seamWords(seam);
  bench.verdictClass = good ? "" : "warm";
  bench.seamClass = good ? "" : "bad";
  bench.seamValue = times(seam.value);
  pointSeam(seam.value);
  showSeam(bench);
}

export function showSeam(bench) {
  if (!bench.cloth) return;
  bench.cloth.seam = bench.seamShown ? bench.seam : null;
  bench.cloth.draw();
}
