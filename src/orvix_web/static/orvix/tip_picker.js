// The tip of a coat: its kind, and the pictures it is made of. A ribbon takes a tile the same way.
import { post, refuse } from "./page.js";

const byId = (id) => document.getElementById(id);
const copy = (thing) => JSON.parse(JSON.stringify(thing));

export class TipPicker {
  // changed(): the tip was changed.
  constructor(facts, changed) {
    this.facts = facts;
    this.changed = changed;
    byId("tip-kind").addEventListener("change", () => this.take(byId("tip-kind").value));
    byId("tip-pick").addEventListener("change", () => this.pick(Number(byId("tip-pick").value)));
    byId("tip-files").addEventListener("change", () => this.upload());
    this.places = [...document.querySelectorAll("[data-ribbon-place]")];
    for (const place of this.places) {
      place.addEventListener("change", () => this.place(place.dataset.ribbonPlace, Number(place.value)));
    }
    byId("tip-pictures").addEventListener("click", ({ target }) => {
      const n = target.closest("[data-n]")?.dataset.n;
      if (n === undefined || this.sources.length < 2) return;
      this.coat.tip.sources.splice(Number(n), 1);
      this.changed();
    });
  }

  // A text runs along its line, and the next one begins where the last letter ends.
  letter() {
    if (this.coat.values.follows === "nothing") this.coat.values.follows = "heading";
  }

  get kind() {
    return this.coat.ribbon ? "ribbon" : this.coat.tip.name;
  }

  get sources() {
    if (this.coat.ribbon) return [this.coat.ribbon.source];
    if (this.coat.tip.name === "lettering") return [];
    return this.coat.tip.sources ?? (this.coat.tip.source ? [this.coat.tip.source] : []);
  }

  // Another kind; what pictures there are go along.
  take(kind) {
    const kept = this.sources[0] ?? this.first();
    if (kind === "ribbon") {
      if (kept) {
        this.coat.ribbon = { source: kept, values: copy(this.facts.ribbon), pictures: {} };
        this.coat.values.colour_from = "tip";
      }
      this.changed();
      return;
    }
    this.coat.ribbon = null;
    const { sources, values } = this.facts.tips[kind];
    if (sources[0] && !kept) {
      byId("tip-kind").value = this.kind;
      return;
    }
    const shared = Object.fromEntries(Object.entries(this.coat.tip.values).filter(([name]) => name in values));
    this.coat.tip = { name: kind, values: { ...copy(values), ...shared } };
    if (sources[1] === 1) this.coat.tip.source = kept;
    else if (sources[1]) this.coat.tip.sources = [kept];
    if (kind === "lettering") {
      delete this.coat.tip.source;
      this.letter();
    }
    this.changed();
  }

  // Pictures from files: one becomes the picture of the tip, several a set.
  async upload() {
    const field = byId("tip-files");
    const form = new FormData();
    for (const file of field.files) form.append("pictures", file);
    field.value = "";
    const told = await post("/brushes/tips/upload/", form);
    if (told.refused) {
      refuse(told.refused);
      return;
    }
    for (const tip of told.tips) {
      const option = new Option(tip.name, String(tip.tile_version));
      option.dataset.picture = tip.picture;
      byId("tip-pick").add(option, 1);
    }
    const kind = told.tips.length > 1 ? "set" : "picture";
    this.coat.ribbon = null;
    const sources = told.tips.map(({ tile_version: version }) => ({ tile_version: version }));
    const values = { ...copy(this.facts.tips[kind].values), paints: told.tips[0].paints };
    this.coat.tip = { name: kind, values, ...(kind === "set" ? { sources } : { source: sources[0] }) };
    this.changed();
  }

  first() {
    const option = byId("tip-pick").options[1];
    return option ? { tile_version: Number(option.value) } : null;
  }

  pick(version) {
    if (!version) return;
    const source = { tile_version: version };
    if (this.coat.ribbon) this.coat.ribbon.source = source;
    else if (this.coat.tip.sources) this.coat.tip.sources.push(source);
    else if (this.coat.tip.source) this.coat.tip.source = source;
    this.changed();
  }

  // The picture at the start, the end or the corners of a ribbon.
  place(name, version) {
    const { pictures } = this.coat.ribbon;
    if (version) pictures[name] = { tile_version: version };
    else delete pictures[name];
    this.changed();
  }

  fill(coat) {
    this.coat = coat;
    for (const place of this.places) {
      place.value = String(coat.ribbon?.pictures[place.dataset.ribbonPlace]?.tile_version ?? "");
    }
    const { kind, sources } = this;
    byId("tip-kind").value = kind;
    const pictured = sources.length > 0;
    for (const part of document.querySelectorAll("[data-shows=pictures]")) part.classList.toggle("hidden", !pictured);
    byId("tip-files")
      .closest("label")
      .classList.toggle("hidden", kind === "lettering" || kind === "ribbon");
    for (const part of document.querySelectorAll("[data-tip-kind]")) {
      part.classList.toggle("hidden", part.dataset.tipKind !== kind);
    }
    byId("tip-pick").value = sources.length === 1 && !coat.tip.sources ? String(sources[0].tile_version) : "";
    byId("tip-pick").options[0].textContent = coat.tip.sources && !coat.ribbon ? "Add picture" : "Choose a tile";
    byId("tip-pictures").replaceChildren(
      ...sources.map(({ tile_version: version }, n) => {
        const option = byId("tip-pick").querySelector(`option[value="${version}"]`);
        const button = document.createElement("button");
        button.type = "button";
        button.dataset.n = n;
        button.title = `${option?.textContent ?? "a tile"}${sources.length > 1 ? ". Click to remove." : ""}`;
        const picture = document.createElement("img");
        picture.alt = option?.textContent ?? "";
        if (option?.dataset.picture) picture.src = option.dataset.picture;
        button.append(picture);
        return button;
      }),
    );
  }
}
