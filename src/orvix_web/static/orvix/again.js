// Painting a canvas again with newer brushes: what could be, and what was, beside the canvas, to be used or left.
import { count, post, refuse } from "./page.js";
import { Picture } from "./picture.js";

const SOON_MS = 700;
const strokes = (n) => `${n} ${n === 1 ? "stroke" : "strokes"}`;

function element(name, told = {}, ...inside) {
  const made = Object.assign(document.createElement(name), told);
  made.append(...inside);
  return made;
}

export class Again {
  // picture: what is looked at; the other one is seen at the same place and zoom. edit(told): does an operation.
  constructor({ canvas, picture, asking, edit }) {
    this.canvas = canvas;
    this.picture = picture;
    this.asking = asking;
    this.edit = edit;
    this.bar = document.getElementById("again");
    this.box = document.getElementById("again-view");
    this.bar.addEventListener("click", (event) => this.pressed(event.target));
    for (const news of ["orvix-changed", "orvix-job-ended"]) document.body.addEventListener(news, () => this.soon());
    this.hand();
    this.refresh();
  }

  soon() {
    clearTimeout(this.later);
    this.later = setTimeout(() => this.refresh(), SOON_MS);
  }

  async refresh() {
    const asked = new URLSearchParams(location.search).get("beside");
    const answer = await fetch(
      `/canvases/${this.canvas}/again.json${asked ? `?beside=${encodeURIComponent(asked)}` : ""}`,
      { headers: { Accept: "application/json" } },
    );
    if (!answer.ok) return;
    const { newer, waits, beside } = await answer.json();
    this.waits = waits;
    this.beside = beside;
    if (beside) this.made(beside);
    else if (waits) this.ask(waits, newer);
    else this.offer(newer);
    this.show(beside ? { ...beside, state: `canvas ${beside.canvas}` } : waits);
    count(this.bar, "told");
  }

  // Nothing waits: what could be painted again.
  offer(newer) {
    const running = document.querySelector('#jobs .job[data-state="running"], #jobs .job[data-state="waiting"]');
    const busy = Boolean(running && this.asked);
    this.bar.classList.toggle("hidden", busy ? !this.why : !newer.length);
    if (busy) return;
    const left = this.left ?? new Set();
    const rows = newer.map((one) => {
      const box = element("input", {
        type: "checkbox",
        name: "before",
        value: String(one.before),
        checked: !left.has(String(one.before)),
      });
      box.addEventListener("change", () => {
        if (box.checked) left.delete(box.value);
        else left.add(box.value);
      });
      const words = element(
        "span",
        {},
        element("b", { textContent: one.name }),
        ` v${one.from} has a newer version, v${one.to}. `,
        `${strokes(one.strokes)} here use${one.strokes === 1 ? "s" : ""} the old one.`,
      );
      return newer.length > 1
        ? element("label", { className: "bead" }, box, words)
        : element("span", {}, Object.assign(box, { hidden: true, checked: true }), words);
    });
    this.left = left;
    const press = element("button", {
      type: "button",
      className: "btn-o",
      textContent: newer.length > 1 ? "Repaint selected" : "Repaint",
      title: "Repaints a copy next to the canvas. The canvas changes only when you accept it.",
    });
    press.dataset.paint = "";
    this.bar.replaceChildren(...rows, press);
  }

  // A canvas of its own was made of this one: it is looked at beside it.
  made({ name, size, href }) {
    this.bar.classList.remove("hidden");
    const words = element(
      "span",
      {},
      element("b", { textContent: "Repainted, on the right: " }),
      `${name}, ${size[0]} × ${size[1]} px`,
    );
    const close = element("button", { type: "button", className: "btn-o", textContent: "Close" });
    close.dataset.apart = "";
    this.bar.replaceChildren(words, element("a", { className: "btn-o main", href, textContent: "Open" }), close);
  }

  // Something waits: what it is, and what can be done with it.
  ask({ brushes, words: told, edit, fresh, fixed }, newer) {
    this.asked = false;
    this.bar.classList.remove("hidden");
    const which = told ?? brushes.map((one) => `${strokes(one.strokes)} with ${one.name} v${one.to}`).join(", ");
    const words = element(
      "span",
      {},
      element("b", { textContent: `${edit.what === "take-up" ? "Restored" : "Repainted"}, on the right: ` }),
      which,
    );
    if (fixed) {
      words.append(`. ${strokes(fixed)} in a saved state ${fixed === 1 ? "stays as it is" : "stay as they are"}`);
    }
    const buttons = [];
    if (fresh) {
      buttons.push(
        element("button", {
          type: "button",
          className: "btn-o main",
          textContent: "Apply",
          title: "Replaces the canvas with the repainted one. You can undo this.",
        }),
      );
    } else words.append(". The canvas has changed since then");
    if (!fresh && (newer.length || edit.what === "rework")) {
      buttons.push(element("button", { type: "button", className: "btn-o main", textContent: "Repaint again" }));
      if (edit.what === "rework") buttons[0].dataset.rework = "";
      else buttons[0].dataset.more = newer.map((one) => one.before).join();
    } else if (fresh) buttons[0].dataset.use = "";
    const leave = element("button", { type: "button", className: "btn-o", textContent: "Discard" });
    leave.dataset.leave = "";
    this.bar.replaceChildren(words, ...buttons, leave);
  }

  async pressed({ dataset }) {
    if (dataset.apart !== undefined) {
      history.replaceState(null, "", location.pathname);
      await this.refresh();
    }
    if (dataset.use !== undefined) this.edit(this.waits.edit);
    if (dataset.rework !== undefined) {
      const { what: _what, state: _state, ...told } = this.waits.edit;
      await this.leave();
      await this.byJob(`/canvases/${this.canvas}/rework/`, { told: JSON.stringify(told) });
    }
    if (dataset.leave !== undefined) await this.leave();
    if (dataset.more !== undefined) {
      await this.leave();
      await this.paint(dataset.more.split(","));
    }
    if (dataset.paint !== undefined) {
      await this.paint([...this.bar.querySelectorAll("input:checked")].map((one) => one.value));
    }
  }

  async paint(before) {
    if (!before.length) {
      refuse("No brush is ticked. Tick at least one brush to repaint its strokes.");
      return;
    }
    await this.byJob(`/canvases/${this.canvas}/again/`, { before });
  }

  // The machine paints beside the canvas; the panel of jobs says how far it is.
  async byJob(href, values, why = "") {
    this.asked = true;
    this.why = why;
    this.bar.classList.toggle("hidden", !why);
    this.bar.replaceChildren(element("span", { textContent: why }));
    await window.htmx.ajax("POST", href, { values, target: "#jobs", swap: "outerHTML" });
  }

  async leave() {
    const answer = await post(`/canvases/${this.canvas}/again/${this.waits.state}/throw-away/`, {});
    if (answer.refused) refuse(answer.refused);
    await this.refresh();
  }

  // The other picture, at the same place and zoom as the canvas.
  show(waits) {
    const shown = waits?.state ?? null;
    if (shown === this.shown) return;
    this.shown = shown;
    this.box.classList.toggle("hidden", !shown);
    if (!shown) return;
    const { facts } = this.picture;
    this.times = waits.size ? waits.size[0] / facts.width : 1;
    const seen = waits.size ? { ...facts, width: waits.size[0], height: waits.size[1], joined: false } : facts;
    if (!this.other) this.other = new Picture(this.box, seen, () => {});
    this.other.facts = seen;
    this.other.region = null;
    this.other.onRegion = () => this.fetch();
    this.other.resize();
    this.follow();
  }

  follow() {
    if (!this.shown || !this.other) return;
    const { times, picture } = this;
    if (this.other.turn !== picture.turn || this.other.flipped !== picture.flipped) {
      this.other.lookFrom(picture.turn, picture.flipped);
    }
    Object.assign(this.other, {
      follow: false,
      zoom: picture.zoom / times,
      left: picture.left * times,
      top: picture.top * times,
    });
    this.other.look();
  }

  async fetch() {
    const { level, box } = this.other.region;
    const answer = await this.asking.ask("again", {
      what: "painted-again",
      ...(this.beside ? { beside: this.beside.canvas } : { canvas: this.canvas, state: this.shown }),
      level,
      box,
    });
    if (!answer?.pixels) return;
    const { facts, pixels } = answer;
    const put = this.other.put({
      level: facts.level,
      rects: [
        {
          left: facts.box[0] >> facts.level,
          top: facts.box[1] >> facts.level,
          width: facts.width,
          height: facts.height,
          pixels,
        },
      ],
    });
    if (put) count(this.box, "updates");
  }

  // Both pictures move together, whichever is dragged.
  hand() {
    let from = null;
    const at = (event) => {
      const frame = this.box.getBoundingClientRect();
      return [event.clientX - frame.left, event.clientY - frame.top];
    };
    this.box.addEventListener(
      "wheel",
      (event) => {
        event.preventDefault();
        this.picture.zoomTo(this.picture.zoom * 1.0016 ** -event.deltaY, ...at(event));
      },
      { passive: false },
    );
    this.box.addEventListener("pointerdown", (event) => {
      from = at(event);
      this.box.setPointerCapture(event.pointerId);
    });
    this.box.addEventListener("pointermove", (event) => {
      if (from) {
        const to = at(event);
        this.picture.pan(to[0] - from[0], to[1] - from[1]);
        from = to;
      }
    });
    for (const end of ["pointerup", "pointercancel"]) {
      this.box.addEventListener(end, () => {
        from = null;
      });
    }
  }
}
