// The brush bench: every value of a brush, and the trial sheet painted anew by the core at each change.
import { BenchLink } from "./live.js";
import { refuse } from "./page.js";
import { checked, putValue, setUpValues, valueOf } from "./values.js";

const COAT = ["size", "smallest", "largest", "spacing", "flow", "opacity", "size_jitter", "scatter"];
const LEADS = ["size", "flow"];
const link = new BenchLink();

const part = (lead, name) => document.querySelector(`[data-lead="${lead}"] [data-part="${name}"]`);

// The response as the core has it: Schlick's bias, here only to draw the curve.
function respond(driver, [from, to, bend]) {
  const middle = 0.5 * (1 + 0.98 * bend);
  return from + (to - from) * (driver / ((1 / middle - 2) * (1 - driver) + 1));
}

function leadWords([from, to]) {
  if (Math.abs(from - to) < 0.02) return "hardly changes";
  return from < to ? "light to full" : "full to light";
}

// The picked grain's or tip's picture beside its name; returns the picked option.
function showPicked(kind) {
  const picked = document.querySelector(`#${kind}-pick option:checked`);
  const picture = document.getElementById(`${kind}-picture`);
  picture.classList.toggle("hidden", !picked.dataset.picture);
  if (picked.dataset.picture && picture.getAttribute("src") !== picked.dataset.picture) picture.src = picked.dataset.picture;
  return picked;
}

document.addEventListener("alpine:init", () => {
  window.Alpine.data("brushBench", () => ({
    init() {
      setUpValues();
      this.definition = JSON.parse(document.getElementById("definition").textContent);
      this.context = document.getElementById("sheet").getContext("2d", { alpha: false });
      this.fill();
      this.kept = JSON.stringify(this.current());
      document.addEventListener("value", (event) => this.valueChanged(event.detail));
      document.addEventListener("bad-value", (event) => refuse(event.detail.rule));
      document.querySelectorAll("input[name=ground], input[name=factor], input[name=hold], input[name=paints], #tip-pick, #grain-pick, [data-part=on]").forEach((input) => input.addEventListener("change", () => this.changed()));
      document.getElementById("keep").addEventListener("htmx:configRequest", (event) => { event.detail.parameters.definition = JSON.stringify(this.current()); });
      document.body.addEventListener("htmx:afterRequest", (event) => {
        if (event.detail.elt.id === "keep" && event.detail.successful) { this.kept = JSON.stringify(this.current()); this.keepShown(); }
      });
      this.changed();
    },

    fill() {
      const coat = this.definition.coats[0];
      const size = coat.values.size;
      const factor = size <= 90 ? 1 : size <= 200 ? 2 : 4;
      document.querySelector(`input[name=factor][value="${factor}"]`).checked = true;
      for (const lead of LEADS) {
        const given = coat.leads[lead];
        part(lead, "on").checked = Boolean(given);
        const [from, to, bend] = given ? given.response : [lead === "size" ? 0.2 : 0, 1, 0];
        putValue(`${lead}-from`, from);
        putValue(`${lead}-to`, to);
        putValue(`${lead}-bend`, bend);
      }
      const tip = coat.tip;
      document.getElementById("tip-pick").value = tip.name === "picture" ? String(tip.source.tile_version) : "";
      document.querySelector(`input[name=paints][value="${tip.values.paints || "opaque"}"]`).checked = true;
      const grain = coat.grain;
      document.getElementById("grain-pick").value = grain ? String(grain.source.grain_version) : "";
      document.querySelector(`input[name=hold][value="${grain ? grain.hold : "canvas"}"]`).checked = true;
      putValue("scale", grain ? grain.scale : "1/2");
      putValue("strength", grain ? grain.strength : 0.9);
    },

    response(lead) { return [valueOf(`${lead}-from`), valueOf(`${lead}-to`), valueOf(`${lead}-bend`)]; },

    current() {
      const coat = this.definition.coats[0];
      const leads = {};
      for (const lead of LEADS) if (part(lead, "on").checked) leads[lead] = { driver: "pressure", response: this.response(lead) };
      const picked = document.getElementById("grain-pick").value;
      const grain = picked ? { source: { grain_version: Number(picked) }, scale: valueOf("scale"), strength: valueOf("strength"), hold: checked("hold") } : null;
      const values = Object.fromEntries(COAT.map((name) => [name, valueOf(name)]));
      const pictured = document.getElementById("tip-pick").value;
      const tip = pictured ? { name: "picture", values: { paints: checked("paints") }, source: { tile_version: Number(pictured) } } : { name: "round", values: { hardness: valueOf("hardness") } };
      return { ...this.definition, coats: [{ ...coat, tip, values, leads, grain }] };
    },

    valueChanged({ name, value }) {
      if (name === "smallest" && value > valueOf("largest")) putValue("largest", value);
      if (name === "largest" && value < valueOf("smallest")) putValue("smallest", value);
      if (name === "size") { putValue("smallest", Math.min(valueOf("smallest"), value)); putValue("largest", Math.max(valueOf("largest"), value)); }
      if (name !== "size") putValue("size", Math.min(Math.max(valueOf("size"), valueOf("smallest")), valueOf("largest")));
      this.changed();
    },

    changed() {
      this.words();
      this.keepShown();
      this.render();
    },

    keepShown() {
      const button = document.getElementById("keep-button");
      button.disabled = JSON.stringify(this.current()) === this.kept;
      button.textContent = `Keep as v${document.getElementById("versions").dataset.next}`;
    },

    words() {
      for (const lead of LEADS) {
        const on = part(lead, "on").checked;
        const response = this.response(lead);
        document.querySelector(`[data-lead="${lead}"]`).classList.toggle("off", !on);
        part(lead, "words").textContent = on ? leadWords(response) : "not led: pressure changes nothing";
        const curve = part(lead, "curve");
        const points = Array.from({ length: 41 }, (_, n) => `${(n / 40) * 100} ${80 - respond(n / 40, response) * 80}`);
        curve.querySelector("path").setAttribute("d", `M${points.join("L")}`);
        curve.querySelectorAll("rect").forEach((handle, n) => {
          handle.setAttribute("x", String(n * 100 - 3.5));
          handle.setAttribute("y", String(80 - response[n] * 80 - 3.5));
        });
      }
      const tip = showPicked("tip");
      document.getElementById("paints").classList.toggle("hidden", !tip.value);
      document.getElementById("hardness-line").classList.toggle("hidden", Boolean(tip.value));
      const picked = showPicked("grain");
      const grainWords = document.getElementById("grain-words");
      const noGrain = !picked.dataset.picture;
      grainWords.textContent = noGrain ? "No grain: scale, strength and hold do nothing." : valueOf("strength") === 0 ? "Strength is 0: the grain does nothing." : "White lets paint through.";
      grainWords.classList.toggle("warm", !noGrain && valueOf("strength") === 0);
      document.getElementById("spacing-words").textContent = `A stamp every ${(valueOf("spacing") * valueOf("size")).toFixed(1)} px at full size.`;
      const factor = checked("factor");
      const strokes = document.getElementById("strokes-link");
      strokes.href = strokes.href.replace(/strokes-\d/, `strokes-${factor}`);
      document.getElementById("sheet-box").classList.toggle("on-dark", document.querySelector("input[name=ground]:checked") !== document.querySelector("input[name=ground]"));
    },

    async render() {
      const asked = { what: "sheet", definition: this.current(), ground: checked("ground"), factor: Number(checked("factor")) };
      const answer = await link.ask("sheet", asked);
      if (!answer) return;
      if (answer.facts.refused) { refuse(answer.facts.refused.message); return; }
      this.context.putImageData(new ImageData(answer.pixels, answer.facts.width, answer.facts.height), 0, 0);
      document.getElementById("shown").textContent = `${Math.round(answer.facts.ms)} ms`;
      const sheet = document.getElementById("sheet");
      sheet.dataset.shown = String(Number(sheet.dataset.shown || 0) + 1);
    },
  }));
});
