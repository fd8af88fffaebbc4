// The fit of a canvas's grains in words.

const some = (count, word) => (count ? `${count} ${word}${count === 1 ? "" : "s"}` : "");
const counted = (fits) =>
  [some(fits.filter((one) => !one.layer).length, "grain"), some(fits.filter((one) => one.layer).length, "fill")]
    .filter(Boolean)
    .join(" and ");
const sizeWords = ([width, height]) => `${width} × ${height}`;

// One line for the head of the canvas room: whether every grain closes, else the worst with its nearest size and scale.
// take(fit, scale): a press takes the scale, where the grain is that of the brush in hand, or a fill's tile.
export function fitLine(fits, inHand, take) {
  const out = document.createElement("span");
  out.className = "fit-words";
  const words = out.appendChild(document.createElement("span"));
  const worst = fits.find((one) => !one.closes);
  if (!fits.length) words.textContent = "No grain on this canvas yet";
  else if (!worst) {
    words.textContent = `✓ ${fits.length === 1 ? `${fits[0].grain} fits` : `${counted(fits)} fit`} this canvas`;
  } else {
    const bold = document.createElement("b");
    bold.className = "warm";
    bold.textContent = `${worst.grain} is off by ${Number(worst.off_px.toFixed(1))} px`;
    const nearest = worst.canvases.find((size) => sizeWords(size) !== sizeWords(worst.size));
    const scale = worst.scales.map((one) => one.fraction).find((one) => one !== worst.scale);
    out.title = `${worst.grain} is off by ${Number(worst.off_px.toFixed(1))} px, ${nearest ? `fits at ${sizeWords(nearest)}` : "no size near fits"}${scale ? `, or set scale ${scale}` : ""}`;
    words.append(bold);
    if (scale && (worst.layer || worst.brush_version === inHand)) {
      const button = Object.assign(document.createElement("button"), {
        type: "button",
        className: "plain",
        textContent: `scale ${scale}`,
        title: worst.layer
          ? `Sets this fill to scale ${scale} instead of ${worst.scale}, so it fits.`
          : `Saves a new version of ${worst.brush} with the grain at ${scale} instead of ${worst.scale}, and selects it.`,
      });
      button.addEventListener("click", () => take(worst, scale));
      words.append(", fits at");
      out.append(button);
    } else words.append(nearest ? `, fits at ${sizeWords(nearest)}` : ", no size near fits");
  }
  return out;
}

export function fitParts(fits, joined) {
  if (!fits.length) {
    return [
      Object.assign(document.createElement("p"), {
        textContent: joined
          ? "No brush with a grain was used. Every mark wraps, so the canvas is seamless."
          : "No brush with a grain was used.",
      }),
    ];
  }
  return fits.map((one) => {
    const row = document.createElement("div");
    row.className = "row-fit";
    const name = document.createElement("span");
    const bold = document.createElement("b");
    bold.textContent = `${one.grain} v${one.version}`;
    name.append(bold, ` at ${one.scale}`);
    const words = document.createElement("span");
    const state = document.createElement("b");
    state.textContent = one.closes ? "fits" : `${one.off_px.toFixed(2)} px off`;
    state.className = one.closes ? "tick-mark" : "warm";
    const others = one.canvases.map(sizeWords).filter((size) => size !== sizeWords(one.size));
    const sizes = others.slice(0, 3).join(", ") || "none near";
    const scales = one.scales.map((scale) => scale.fraction).filter((scale) => scale !== one.scale);
    const also = one.closes ? "Also fits" : "Fits";
    words.append(state, `. ${also}: ${sizes}. Or set scale ${scales.slice(0, 3).join(", ") || "none near"}`);
    row.append(name, words);
    return row;
  });
}
