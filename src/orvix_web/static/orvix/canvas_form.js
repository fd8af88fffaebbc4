// The form of a new canvas says what its px come to in mm.
const form = document.getElementById("canvas-form");

function tell() {
  const [width, height, ppi] = ["width", "height", "ppi"].map((name) => Number(form.elements[name].value));
  if (!(width > 0 && height > 0 && ppi > 0)) return;
  const mm = (px) => ((px / ppi) * 25.4).toFixed(1);
  document.getElementById("real-size").textContent = `${mm(width)} × ${mm(height)} mm when printed. With joined edges, what leaves on one side comes in on the other.`;
}

form.addEventListener("input", tell);
tell();
