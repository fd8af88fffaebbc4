// The band of readings of the tile bench: numbers and words into the gauges, and each gauge's overlay.
import { drawBars, percent, times } from "./gauges.js";
import { circles, coverMap, rowLines } from "./overlays.js";

const part = (name, what) => document.querySelector(`[data-gauge="${name}"] [data-${what}]`);

function put(name, { verdict, number, unit = null, under = "", warm = false }) {
  const box = document.querySelector(`[data-gauge="${name}"]`);
  part(name, "verdict").textContent = verdict;
  part(name, "verdict").classList.toggle("warm", warm);
  part(name, "number").textContent = number;
  if (unit !== null) part(name, "unit").textContent = unit;
  if (part(name, "under")) part(name, "under").textContent = under;
  box.classList.toggle("bad", warm);
}

const WORDS = { leads: "Visible", "none leads": "None", tossed: "Tossed", "two-way": "Two-way", "one-way": "One-way" };
const SEAM_WORDS = { seamless: "Seamless", faint: "Faint", visible: "Visible", "too small to read": "Too small" };

// What the seam's line of numbers says, in words.
function seamTitle({ seam, light, texture }) {
  const lines = [
    `Left–right border ${times(seam.edges.left_right)}, top–bottom border ${times(seam.edges.top_bottom)} times the strongest line inside. Decided by ${seam.strongest}.`,
  ];
  if (light) {
    lines.push(
      `Light varies by ${light.value.toFixed(1)} dE (aim for under 3) and jumps ${light.step_de.toFixed(1)} dE at the borders.`,
    );
  }
  if (texture) {
    lines.push(`Sharpness differs by ${texture.value.toFixed(1)} stops across the borders (aim for under 1).`);
  }
  if (seam.mirrored) lines.push("The tile is mirrored at a border.");
  return `${lines.join(" ")} Click to show where.`;
}

// What is shown now is being read: the numbers of what was shown before go.
export function showReading() {
  document.querySelectorAll("#band [data-gauge]").forEach((box) => {
    box.classList.remove("bad");
    put(box.dataset.gauge, { verdict: "Reading…", number: "…", unit: part(box.dataset.gauge, "unit") ? "" : null });
  });
  document.getElementById("seam-at").setAttribute("transform", "translate(0 0)");
  document.getElementById("tone-bars").replaceChildren();
  document.getElementById("reading-form").textContent = "";
  document.getElementById("band").dataset.reading = "yes";
}

export function showReadings(told) {
  const { seam, tone, light } = told;
  const good = seam.verdict === "seamless";
  const moved = seam.at.some((n) => n) ? ", at the moved border" : "";
  put("seam", {
    verdict: seam.by_construction ? "Always seamless" : `${SEAM_WORDS[seam.verdict]}${moved}`,
    number: times(seam.value),
    warm: !good,
    under: `↔ ${times(seam.edges.left_right)}  ↕ ${times(seam.edges.top_bottom)}${light ? ` · light ${light.value.toFixed(1)} dE` : ""}${told.texture ? ` · ${told.texture.value.toFixed(1)} stops` : ""}`,
  });
  document.querySelector('[data-gauge="seam"]').title = seamTitle(told);
  document
    .getElementById("seam-at")
    .setAttribute("transform", `translate(${Math.min(seam.value / 1.1 / 3, 1) * 200} 0)`);
  put("tone", { verdict: `Spread ${percent(tone.std)} %`, number: percent(tone.passes) });
  drawBars(tone.shares);
  const { holes, rows, hot_spots: hot, weight } = told;
  if (holes) {
    if (holes.applies) {
      put("holes", {
        verdict: holes.verdict === "hole" ? "Hole found" : "Even",
        number: holes.value.toFixed(1),
        unit: "× typical",
        warm: holes.verdict === "hole",
        under: `Largest: ${Math.round(2 * holes.radius_px)} px`,
      });
    } else put("holes", { verdict: "", number: "–", unit: "", under: "No motifs found" });
  }
  if (rows) {
    put("rows", {
      verdict: WORDS[rows.verdict] ?? rows.verdict,
      number: rows.value.toFixed(1),
      unit: "× typical",
      warm: rows.verdict === "leads",
      under: rows.value
        ? `${rows.angle_deg.toFixed(0)}°, ${rows.amplitude.toFixed(1)} L* contrast`
        : "No row stands out",
    });
  }
  if (hot) {
    put("hot_spots", {
      verdict: hot.length ? "Found" : "None",
      number: String(hot.length),
      unit: "over 2 ×",
      warm: hot.length > 0,
      under: hot.length ? `Strongest: ${hot[0].value.toFixed(1)} ×` : "Relative to tile",
    });
  }
  if (weight) {
    if (weight.applies) {
      put("weight", {
        verdict: "Map only",
        number: percent(weight.cover),
        unit: "% covered",
        under: `Unevenness ${weight.value.toFixed(2)}`,
      });
    } else put("weight", { verdict: "", number: "–", unit: "", under: "No motifs found" });
  }
  const { direction } = told;
  if (direction && document.querySelector('[data-gauge="direction"]')) {
    if (direction.applies) {
      put("direction", {
        verdict: "",
        number: direction.value.toFixed(2),
        unit: WORDS[direction.verdict] ?? direction.verdict,
        under: direction.angle_deg === null ? "No main direction" : `Along ${Math.round(direction.angle_deg)}°`,
      });
    } else put("direction", { verdict: "", number: "–", unit: "", under: "No directional motifs" });
  }
  if (!told.full) {
    ["holes", "rows", "hot_spots", "weight", "direction"]
      .filter((name) => !told[name] && part(name, "number"))
      .forEach((name) => put(name, { verdict: "Reading…", number: "…", unit: "" }));
  }
  document.getElementById("band").dataset.reading = told.full ? "" : "Quick";
  const form = document.getElementById("reading-form");
  form.textContent = told.full ? "Full" : "Quick";
  form.dataset.full = String(told.full);
}

// The overlay of a pressed gauge: for the seam what the cloth draws itself, for the others a function.
export function overlayOf(name, told) {
  if (!told) return null;
  if (name === "holes" && told.holes?.applies) {
    return circles(
      (told.holes.others.length ? told.holes.others : [told.holes]).map((one) => ({
        at: one.at,
        radius: one.radius_px,
        words: `${Math.round(2 * one.radius_px)} px`,
      })),
    );
  }
  if (name === "hot_spots" && told.hot_spots) {
    return circles(
      told.hot_spots.map((one) => ({ at: one.at, radius: one.radius_px, words: `${one.value.toFixed(1)} ×` })),
    );
  }
  if (name === "rows" && told.rows?.value) return rowLines(told.rows.angle_deg);
  if (name === "weight" && told.weight?.applies) return coverMap(told.weight.map);
  return null;
}
