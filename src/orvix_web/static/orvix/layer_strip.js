// The layers of a canvas as a strip of their own pictures, back to front, and the sheet of what can be set of them.
import { refuse } from "./page.js";
import { Turns } from "./turns.js";
import { putValue } from "./values.js";

const PICTURE_AFTER_MS = 250;
const DRAG_PX = 6;
const id = (name) => document.getElementById(name);
const make = (tag, told = {}, ...inside) => {
  const one = Object.assign(document.createElement(tag), told);
  one.append(...inside);
  return one;
};
const SWITCHES = { visible: true, locked: false, alpha_locked: false, clipped: false };

export class LayerStrip {
  // link: edits are asked of it; asking: a BenchLink; canvas: its number; onChosen(): another layer is in hand.
  constructor(box, { link, asking, canvas, onChosen }) {
    this.box = box;
    this.link = link;
    this.asking = asking;
    this.canvas = canvas;
    this.onChosen = onChosen;
    this.stack = [];
    this.chosen = 0;
    this.picked = new Set([1]);
    this.next = 2;
    this.awaited = 0;
    this.turns = new Turns(link);
    this.pictures = new Map();
    this.sheet = id("layer-sheet");
    this.presses();
  }

  // News: layers, the lowest first, and a number no layer has had.
  show({ layers, next_layer: next, edited = 0 }) {
    this.kept = layers;
    this.going = false;
    if (this.trial) {
      const { trial } = this;
      this.trial = null;
      this.try(trial);
    }
    this.box.dataset.trying = this.going ? "yes" : "no";
    const numbers = layers.flatMap((one) => [one.id, one.mask]).filter(Boolean);
    // Older than what was asked since, which is shown already.
    if (!this.turns.answered(edited)) return;
    this.next = next;
    const fresh = this.awaited && layers.find((one) => one.id === this.awaited || one.mask === this.awaited);
    if (fresh) {
      this.chosen = this.awaited;
      this.picked = new Set([fresh.id]);
      this.awaited = 0;
    }
    const first = !this.stack.length;
    if (!numbers.includes(this.chosen)) {
      this.chosen = (layers.findLast((one) => (one.kind ?? "paint") === "paint" && !one.locked) ?? layers.at(-1)).id;
    }
    this.picked = new Set([...this.picked].filter((one) => numbers.includes(one)));
    if (first || !this.picked.has(this.layer(layers).id)) this.picked = new Set([this.layer(layers).id]);
    const told = JSON.stringify(layers);
    if (told === this.shown) {
      if (fresh) this.draw();
      return;
    }
    this.shown = told;
    const before = this.pictured ?? 0;
    this.stack = layers;
    this.pictured = layers.length;
    this.draw();
    this.refresh(layers.length !== before || layers.some((one) => one.fill || one.kind === "group"));
  }

  // The layer in hand; its mask may be what is painted on.
  layer(stack = this.stack) {
    return stack.find((one) => [one.id, one.mask].includes(this.chosen)) ?? stack[0];
  }
  get onMask() {
    return this.layer()?.mask === this.chosen;
  }
  get some() {
    return this.stack.filter((one) => this.picked.has(one.id));
  }

  draw() {
    const { box, stack } = this;
    box.replaceChildren(...this.ordered().map((layer) => this.item(layer)));
    const layer = this.layer();
    id("layer-in-hand").textContent = this.onMask ? `Mask of ${layer.name}` : layer.name;
    id("layer-in-hand").classList.toggle("warm", !this.onMask && (layer.kind ?? "paint") !== "paint");
    const [here] = box.querySelectorAll(`[data-layer="${layer.id}"]`);
    here?.scrollIntoView({ block: "nearest", inline: "nearest" });
    this.fill();
    box.dataset.count = String(stack.length);
    this.onChosen?.();
  }

  // As they lie: what is in a group stands before it.
  ordered(parent = 0) {
    return this.stack
      .filter((one) => (one.parent ?? 0) === parent)
      .flatMap((one) => [...(one.kind === "group" ? this.ordered(one.id) : []), one]);
  }

  words(layer) {
    const words = [];
    if (layer.opacity < 1) words.push(`${Math.round(100 * layer.opacity)} %`);
    if (layer.mode && layer.mode !== "normal") words.push(layer.mode);
    if (layer.visible === false) words.push("hidden");
    if (layer.locked) words.push("Locked");
    if (layer.alpha_locked) words.push("Transparency locked");
    if (layer.linked) words.push("Linked");
    if (!words.length && layer.kind && layer.kind !== "paint") words.push(layer.kind);
    return words.join(", ");
  }

  item(layer) {
    const kind = layer.kind ?? "paint";
    const take = make("button", {
      type: "button",
      className: "take",
      title: `${layer.name}. Click again for settings, Ctrl-click to select several, drag to reorder.`,
    });
    take.setAttribute("aria-pressed", String(layer.id === this.chosen));
    take.append(this.pictures.get(layer.id) ?? make("canvas", { width: 66, height: 44 }));
    const item = make(
      "li",
      {
        className: [
          kind,
          this.picked.has(layer.id) ? "picked" : "",
          layer.id === this.chosen ? "chosen" : "",
          layer.parent ? "inside" : "",
          layer.clipped ? "clipped" : "",
          layer.visible === false ? "unseen" : "",
        ].join(" "),
      },
      take,
    );
    item.dataset.layer = layer.id;
    if (layer.mask) {
      const mask = make("button", {
        type: "button",
        className: "mask",
        title: `Edits the mask of ${layer.name}. Paint hides, erase shows.`,
        textContent: "Mask",
      });
      mask.setAttribute("aria-pressed", String(layer.mask === this.chosen));
      item.append(mask);
    }
    const eye = make("button", {
      type: "button",
      className: "eye",
      title: layer.visible === false ? `Show ${layer.name}` : `Hide ${layer.name}`,
      textContent: layer.visible === false ? "Show" : "Hide",
    });
    item.append(
      eye,
      make("b", { textContent: layer.name }),
      make("span", { className: "note", textContent: this.words(layer) }),
    );
    return item;
  }

  // The layer above the current one, or below.
  step(by) {
    const at = this.stack.findIndex((one) => one.id === this.layer().id);
    const next = this.stack[at + by];
    if (next) this.choose(next.id);
  }
  choose(number, { several = false } = {}) {
    const layer = this.stack.find((one) => [one.id, one.mask].includes(number));
    if (several && this.picked.has(layer.id) && this.picked.size > 1) {
      this.picked.delete(layer.id);
      if (this.layer().id === layer.id) [this.chosen] = this.picked;
    } else {
      if (!several) this.picked.clear();
      this.picked.add(layer.id);
      this.chosen = number;
    }
    this.draw();
  }

  // What is asked of the core. The stack is told whole, the lowest first; it is shown as it shall be until news comes.
  ask(layers) {
    this.trial = null;
    this.going = false;
    if (!this.turns.send({ what: "layers", layers }, { known: true })) {
      this.back();
      return;
    }
    this.stack = layers;
    if (layers.some((one) => one.id === this.awaited)) {
      this.chosen = this.awaited;
      this.picked = new Set([this.awaited]);
    }
    if (!layers.some((one) => [one.id, one.mask].includes(this.chosen))) {
      this.chosen = layers.at(-1).id;
      this.picked = new Set([this.chosen]);
    }
    this.shown = null;
    this.draw();
  }

  // What was asked was refused: it is as it was, and what waited for it is dropped.
  back() {
    this.turns.drop();
    this.awaited = 0;
    this.stack = this.kept;
    this.shown = null;
    this.show({ layers: this.kept, next_layer: this.next });
  }

  // A number that no layer has had.
  fresh() {
    return this.next++;
  }

  set(values) {
    this.ask(this.with(values));
  }
  with(values) {
    return this.stack.map((one) =>
      this.picked.has(one.id) ? { ...one, ...(typeof values === "function" ? values(one) : values) } : one,
    );
  }

  // Looked at while the hand drags: one at a time, the newest waits.
  try(told) {
    if (this.going) {
      this.trial = told;
      return;
    }
    this.going = true;
    this.box.dataset.trying = "yes";
    this.link.edit({ ...told, trial: true });
  }

  done(told) {
    if (told.what === "layers") {
      this.ask(told.layers);
      return;
    }
    this.trial = null;
    this.going = false;
    this.turns.send(told);
  }

  add(kind, more = {}) {
    const layer = this.layer();
    const at = this.stack.findIndex((one) => one.id === layer.id) + 1;
    const number = this.fresh();
    const fresh = {
      id: number,
      name: `${kind === "paint" ? "Layer" : kind === "fill" ? "Fill" : "Group"} ${number}`,
      opacity: 1,
      visible: true,
      ...(kind === "paint" ? {} : { kind }),
      ...(layer.parent ? { parent: layer.parent } : {}),
      ...more,
    };
    this.awaited = fresh.id;
    this.ask([...this.stack.slice(0, at), fresh, ...this.stack.slice(at)]);
  }

  group() {
    const { some } = this;
    const parent = some[0].parent ?? 0;
    const number = this.fresh();
    const fresh = {
      id: number,
      name: `Group ${number}`,
      opacity: 1,
      visible: true,
      kind: "group",
      ...(parent ? { parent } : {}),
    };
    const rest = this.stack.filter((one) => !this.picked.has(one.id));
    const at = rest.findIndex((one) => this.stack.indexOf(one) > this.stack.indexOf(some.at(-1)));
    const inside = some.map((one) => ({ ...one, parent: this.picked.has(one.parent) ? one.parent : fresh.id }));
    this.awaited = fresh.id;
    this.ask([...(at < 0 ? rest : rest.slice(0, at)), ...inside, fresh, ...(at < 0 ? [] : rest.slice(at))]);
  }

  ungroup() {
    const group = this.layer();
    if (group.kind !== "group") {
      refuse(`${group.name} is not a group. Select a group first.`);
      return;
    }
    this.ask(
      this.stack
        .filter((one) => one.id !== group.id)
        .map((one) => (one.parent === group.id ? { ...one, parent: group.parent ?? 0 } : one)),
    );
  }

  // Put the picked layers where another is: before it, after it, or into it.
  put(target, where) {
    const moving = this.some;
    if (moving.some((one) => one.id === target.id) || this.inside(target, moving)) return;
    const rest = this.stack.filter((one) => !this.picked.has(one.id));
    const parent = where === "into" ? target.id : (target.parent ?? 0);
    const placed = moving.map((one) => ({ ...one, parent: this.picked.has(one.parent) ? one.parent : parent }));
    const at = rest.findIndex((one) => one.id === target.id) + (where === "after" ? 1 : 0);
    this.ask([...rest.slice(0, at), ...placed, ...rest.slice(at)]);
  }

  inside(layer, groups) {
    for (let one = layer; one?.parent; one = this.stack.find((each) => each.id === one.parent)) {
      if (groups.some((group) => group.id === one.parent)) return true;
    }
    return false;
  }

  shift(by) {
    const siblings = this.stack.filter(
      (one) => (one.parent ?? 0) === (this.layer().parent ?? 0) && !this.picked.has(one.id),
    );
    const at = this.stack.indexOf(this.layer());
    const next =
      by > 0
        ? siblings.find((one) => this.stack.indexOf(one) > at)
        : siblings.findLast((one) => this.stack.indexOf(one) < at);
    if (next) this.put(next, by > 0 ? "after" : "before");
  }

  below() {
    const layer = this.layer();
    return this.stack.slice(0, this.stack.indexOf(layer)).findLast((one) => (one.parent ?? 0) === (layer.parent ?? 0));
  }

  out() {
    const gone = new Set(this.picked);
    for (let n = 0; n < 9; n += 1) for (const one of this.stack) if (gone.has(one.parent)) gone.add(one.id);
    const left = this.stack.filter((one) => !gone.has(one.id));
    if (!left.length) {
      refuse("A canvas needs at least one layer, so this one cannot be deleted.");
      return;
    }
    this.ask(left);
  }

  acts(what) {
    if (what === "close") this.open(false);
    else this.turns.run(() => this.act(what));
  }

  act(what) {
    const numbers = this.some.map((one) => one.id);
    const below = this.below();
    const acts = {
      paint: () => this.add("paint"),
      fill: () => this.add("fill", { fill: { colour: id("colour").value } }),
      duplicate: () => {
        this.awaited = this.next;
        this.turns.send({ what: "duplicate", layers: numbers, layer: this.next });
      },
      merge: () => {
        if (numbers.length > 1 || this.layer().kind === "group") this.turns.send({ what: "merge", layers: numbers });
        else if (below) this.turns.send({ what: "merge", layers: [below.id, ...numbers] });
        else refuse("There is no layer below to merge with.");
      },
      "merge-copy": () => {
        this.awaited = this.next;
        this.turns.send({ what: "merge-copy", layer: this.next, ...(numbers.length > 1 ? { layers: numbers } : {}) });
      },
      group: () => this.group(),
      ungroup: () => this.ungroup(),
      out: () => this.out(),
      back: () => this.shift(-1),
      front: () => this.shift(1),
      link: () => {
        const linked = this.some.every((one) => one.linked) ? 0 : Math.min(...numbers);
        this.set({ linked });
      },
      mask: () => {
        const layer = this.layer();
        if (layer.mask) this.ask(this.stack.map((one) => (one.id === layer.id ? { ...one, mask: 0 } : one)));
        else {
          const mask = this.fresh();
          this.awaited = mask;
          this.ask(this.stack.map((one) => (one.id === layer.id ? { ...one, mask } : one)));
        }
      },
      tint: () => this.turns.send({ what: "recolour", layers: numbers, way: "tint", colour: id("colour").value }),
      colour: () => this.turns.send({ what: "recolour", layers: numbers, way: "colour", colour: id("colour").value }),
    };
    acts[what]?.();
  }

  open(on) {
    this.sheet.classList.toggle("hidden", !on);
    id("layer-settings").setAttribute("aria-expanded", String(on));
    if (on) this.fill();
  }

  // The sheet says what the layer in hand is; what is changed there is changed for all that are picked.
  fill() {
    const layer = this.layer();
    if (!layer) return;
    const count = this.picked.size;
    const typing =
      this.sheet.contains(document.activeElement) &&
      document.activeElement.matches("input:not([type=checkbox]):not([type=range])")
        ? document.activeElement
        : null;
    if (typing !== id("sheet-name")) id("sheet-name").value = layer.name;
    id("sheet-several").textContent =
      count > 1 ? `${count} layers` : layer.kind === "group" ? "Group" : layer.kind === "fill" ? "Fill" : "";
    id("sheet-mode").value = layer.mode ?? "normal";
    const put = (name, value) => {
      if (!typing?.closest(`[data-value="${name}"]`)) putValue(name, value);
    };
    put("layer.opacity", layer.opacity);
    for (const [name, usual] of Object.entries(SWITCHES)) {
      this.sheet.querySelector(`[name="${name}"]`).checked = layer[name] ?? usual;
    }
    this.sheet.querySelector('[value="mask"]').textContent = layer.mask ? "Remove mask" : "Add mask";
    this.sheet.querySelector('[value="link"]').textContent = this.some.every((one) => one.linked) ? "Unlink" : "Link";
    this.sheet.querySelector('[value="merge"]').textContent =
      count > 1 || layer.kind === "group" ? "Merge" : "Merge down";
    this.sheet.querySelector('[value="merge-copy"]').textContent = count > 1 ? "Merge copy" : "Merge visible copy";
    id("sheet-fill").classList.toggle("hidden", layer.kind !== "fill");
    id("sheet-recolour").classList.toggle("hidden", (layer.kind ?? "paint") !== "paint");
    put("layer.hue", 0);
    if (layer.kind === "fill") {
      const { fill } = layer;
      id("fill-kind").value = fill.colour ? "" : String(fill.tile);
      id("fill-colour").value = fill.colour || "#808080";
      id("fill-colour").classList.toggle("hidden", !fill.colour);
      id("fill-tile").classList.toggle("hidden", Boolean(fill.colour));
      if (!fill.colour) {
        put("fill.scale", fill.scale ?? "1");
        put("fill.turn", fill.turn ?? 0);
        for (const axis of "xy") if (typing !== id(`fill-${axis}`)) id(`fill-${axis}`).value = fill[axis] ?? 0;
      }
    }
  }

  fillOf(layer, values) {
    const { fill } = layer;
    if (!fill) return layer;
    const tile = { tile: fill.tile, scale: fill.scale ?? "1", turn: fill.turn ?? 0, x: fill.x ?? 0, y: fill.y ?? 0 };
    return { ...layer, fill: values.colour ? values : { ...tile, ...values } };
  }

  withFill(values) {
    return this.stack.map((one) => (this.picked.has(one.id) ? this.fillOf(one, values) : one));
  }

  presses() {
    const { box, sheet } = this;
    document
      .querySelectorAll("[data-add-layer]")
      .forEach((one) => one.addEventListener("click", () => this.acts(one.dataset.addLayer)));
    id("layer-settings").addEventListener("click", () => this.open(sheet.classList.contains("hidden")));
    sheet.addEventListener("click", ({ target }) => {
      if (target.closest("button")?.value) this.acts(target.closest("button").value);
    });
    sheet.addEventListener("change", ({ target }) => {
      if (target.name in SWITCHES) this.set({ [target.name]: target.checked });
      else if (target.id === "sheet-name") {
        this.ask(
          this.stack.map((one) =>
            one.id === this.layer().id ? { ...one, name: target.value.trim() || one.name } : one,
          ),
        );
      } else if (target.id === "sheet-mode") this.set({ mode: target.value });
      else if (target.id === "fill-kind") {
        this.ask(this.withFill(target.value ? { tile: Number(target.value) } : { colour: id("fill-colour").value }));
      } else if (target.id === "fill-colour") this.ask(this.withFill({ colour: target.value }));
      else if (target.id === "fill-x" || target.id === "fill-y") {
        this.ask(this.withFill({ [target.id.at(-1)]: Math.round(Number(target.value)) || 0 }));
      }
    });
    id("fill-colour").addEventListener("input", ({ target }) =>
      this.try({ what: "layers", layers: this.withFill({ colour: target.value }) }),
    );
    sheet.addEventListener("value", (event) => {
      event.stopPropagation();
      const { name, value, settled } = event.detail;
      const layers = {
        "layer.opacity": () => this.with({ opacity: value }),
        "fill.scale": () => this.withFill({ scale: String(value) }),
        "fill.turn": () => this.withFill({ turn: value }),
      }[name]?.();
      const told = layers
        ? { what: "layers", layers }
        : { what: "recolour", layers: this.some.map((one) => one.id), way: "hue", hue: value };
      if (settled) this.done(told);
      else this.try(told);
    });
    this.dragging(box);
  }

  dragging(box) {
    let held = null;
    const over = (event) => {
      const items = [...box.children];
      for (const item of items) {
        const { left, right, width } = item.getBoundingClientRect();
        if (event.clientX > right) continue;
        const layer = this.stack.find((one) => one.id === Number(item.dataset.layer));
        const share = (event.clientX - left) / width;
        return [
          item,
          layer,
          layer.kind === "group" && share > 0.3 && share < 0.7 ? "into" : share < 0.5 ? "before" : "after",
        ];
      }
      const layer = this.stack.find((one) => one.id === Number(items.at(-1).dataset.layer));
      return [items.at(-1), layer, "after"];
    };
    const clear = () =>
      box
        .querySelectorAll(".put-before, .put-after, .put-into")
        .forEach((one) => one.classList.remove("put-before", "put-after", "put-into"));
    box.addEventListener("pointerdown", (event) => {
      const item = event.target.closest("[data-layer]");
      if (item && event.button === 0) {
        held = {
          item,
          x: event.clientX,
          number: Number(item.dataset.layer),
          target: event.target,
          id: event.pointerId,
        };
      }
    });
    box.addEventListener("pointermove", (event) => {
      if (!held || (!held.moved && Math.abs(event.clientX - held.x) < DRAG_PX)) return;
      if (!held.moved) {
        held.moved = true;
        box.setPointerCapture(held.id);
        if (!this.picked.has(held.number)) {
          this.picked = new Set([held.number]);
        }
      }
      clear();
      const [item, , where] = over(event);
      item.classList.add(`put-${where}`);
    });
    box.addEventListener("pointerup", (event) => {
      if (!held) return;
      const { moved, number, target } = held;
      held = null;
      clear();
      if (moved) {
        const [, layer, where] = over(event);
        this.chosen = number;
        this.put(layer, where);
        this.draw();
        return;
      }
      const layer = this.stack.find((one) => one.id === number);
      if (target.closest(".mask")) this.choose(layer.mask);
      else if (target.closest(".eye")) {
        this.ask(this.stack.map((one) => (one.id === number ? { ...one, visible: one.visible === false } : one)));
      } else if (number === this.chosen && !event.ctrlKey && !event.shiftKey && this.picked.size === 1) {
        this.open(sheetHidden(this.sheet));
      } else this.choose(number, { several: event.ctrlKey || event.shiftKey || event.metaKey });
    });
    box.addEventListener("pointercancel", () => {
      held = null;
      clear();
    });
    // By keys: Enter and the space bar press what has the focus; arrows with Alt put the layer elsewhere.
    box.addEventListener("keydown", (event) => {
      const item = event.target.closest("[data-layer]");
      if (!item) return;
      const number = Number(item.dataset.layer);
      if (event.altKey && (event.key === "ArrowLeft" || event.key === "ArrowRight")) {
        this.choose(number);
        this.shift(event.key === "ArrowLeft" ? -1 : 1);
        event.preventDefault();
        return;
      }
      if (event.key !== "Enter" && event.key !== " ") return;
      event.preventDefault();
      event.stopPropagation();
      const layer = this.stack.find((one) => one.id === number);
      if (event.target.closest(".mask")) this.choose(layer.mask);
      else if (event.target.closest(".eye")) {
        this.ask(this.stack.map((one) => (one.id === number ? { ...one, visible: one.visible === false } : one)));
      } else if (number === this.chosen) this.open(sheetHidden(this.sheet));
      else this.choose(number, { several: event.ctrlKey });
    });
  }

  // Pictures follow once nothing more changes: that of the layer in hand and the groups, or all.
  refresh(all = false) {
    this.all = this.all || all;
    clearTimeout(this.later);
    this.later = setTimeout(async () => {
      const wanted = this.stack
        .filter((one) => this.all || one.id === this.layer().id || one.kind === "group")
        .map((one) => one.id);
      this.all = false;
      for (const layer of wanted) await this.take(layer);
    }, PICTURE_AFTER_MS);
  }

  async take(layer) {
    const answer = await this.asking.ask("layer", { what: "layer", canvas: this.canvas, layer });
    if (!answer || answer.facts.refused) return;
    const picture = make("canvas", { width: answer.facts.width, height: answer.facts.height });
    picture
      .getContext("2d", { alpha: false })
      .putImageData(new ImageData(answer.pixels, picture.width, picture.height), 0, 0);
    this.pictures.set(layer, picture);
    this.box.querySelector(`[data-layer="${layer}"] .take canvas`)?.replaceWith(picture);
    this.box.dataset.pictures = String(Number(this.box.dataset.pictures || 0) + 1);
  }
}

function sheetHidden(sheet) {
  return sheet.classList.contains("hidden");
}
