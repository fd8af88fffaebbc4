// The photo itself on the stage: four corners dragged on it, the cleanest part found, a repeat found and its arrows dragged.

const id = (name) => document.getElementById(name);

export class PhotoStage {
  constructor(bench, link) {
    this.box = null;
    this.bench = bench;
    this.link = link;
    this.open = false;
    this.facts = null;
  }

  get source() {
    return this.bench.cards.recipe.source;
  }

  async start() {
    if (!this.source.values.file) return;
    this.open = true;
    id("cloth").classList.add("hidden");
    this.box ??= this.build();
    this.box.classList.remove("hidden");
    await this.load();
    this.draw();
  }

  stop() {
    if (!this.open) return;
    this.open = false;
    this.box.classList.add("hidden");
    id("cloth").classList.remove("hidden");
    this.bench.cloth.resize();
  }

  build() {
    const box = document.createElement("div");
    box.className = "view photo";
    box.id = "photo";
    this.canvas = document.createElement("canvas");
    const bar = document.createElement("div");
    bar.className = "photo-bar";
    bar.innerHTML =
      '<label>Crop size <select class="pick" id="part-size"><option value="0.4">40 %</option><option value="0.55" selected>55 %</option><option value="0.7">70 %</option><option value="0.85">85 %</option></select></label>' +
      '<button type="button" class="btn-o" id="find-clean">Find cleanest part</button><button type="button" class="btn-o" id="whole-photo">Use whole photo</button><button type="button" class="btn-o" id="photo-period">Find repeat</button><span class="note" id="photo-words"></span><button type="button" class="btn-o main push" id="photo-done">Back to cloth</button>';
    box.append(this.canvas, bar);
    id("cloth").after(box);
    new ResizeObserver(() => {
      if (this.open) this.draw();
    }).observe(box);
    this.listen(box);
    return box;
  }

  listen(box) {
    box.querySelector("#find-clean").addEventListener("click", () => this.findClean());
    box.querySelector("#whole-photo").addEventListener("click", () =>
      this.takeCorners([
        [0, 0],
        [1, 0],
        [1, 1],
        [0, 1],
      ]),
    );
    box.querySelector("#photo-period").addEventListener("click", () => this.findPeriod());
    box.querySelector("#photo-done").addEventListener("click", () => this.bench.mode("cloth"));
    let held = null;
    this.canvas.addEventListener("pointerdown", (event) => {
      if (event.button !== 0) return;
      const [x, y] = this.toShare(event);
      const places = this.handles();
      const near = places
        .map(([px, py], n) => [Math.hypot((px - x) * this.shown.width, (py - y) * this.shown.height), n])
        .sort((a, b) => a[0] - b[0])[0];
      if (near && near[0] < 22) held = { n: near[1] };
      else if (this.source.name === "photo") {
        held = { from: [x, y], corners: JSON.parse(JSON.stringify(this.corners())) };
      }
      if (held) this.canvas.setPointerCapture(event.pointerId);
    });
    this.canvas.addEventListener("pointermove", (event) => {
      if (!held) return;
      this.drag(held, this.toShare(event), event.shiftKey);
    });
    for (const end of ["pointerup", "pointercancel"]) {
      this.canvas.addEventListener(end, () => {
        if (!held) return;
        held = null;
        this.bench.cards.remember();
        this.bench.changed(true);
      });
    }
  }

  corners() {
    return this.source.values.corners;
  }

  // Handles in shares of the photo: the four corners, or where a period begins and the ends of its two arrows.
  handles() {
    if (this.source.name === "photo") return this.corners();
    const { period } = this.source.values;
    if (!period?.length) return [];
    const [w, h] = this.facts.photo;
    const [start, a, b] = period;
    return [start, [start[0] + a[0], start[1] + a[1]], [start[0] + b[0], start[1] + b[1]]].map(([x, y]) => [
      x / w,
      y / h,
    ]);
  }

  /** @param {any} held  @param {number[]} place  @param {boolean} square */
  drag(held, [x, y], square) {
    const inside = (n) => Math.min(Math.max(n, 0), 1);
    if (this.source.name === "photo") {
      const corners = held.corners ? held.corners.map((one) => [...one]) : this.corners().map((one) => [...one]);
      if (held.n === undefined) {
        const room = (axis, by) =>
          Math.min(
            Math.max(by, -Math.min(...corners.map((one) => one[axis]))),
            1 - Math.max(...corners.map((one) => one[axis])),
          );
        const [dx, dy] = [room(0, x - held.from[0]), room(1, y - held.from[1])];
        this.bench.cards.change(
          "source.values.corners",
          corners.map(([cx, cy]) => [cx + dx, cy + dy]),
          false,
        );
      } else {
        corners[held.n] = [inside(x), inside(y)];
        if (!square) {
          // A corner takes its two neighbours along, so that a crop stays a crop; with Shift it moves alone.
          const across = { 0: 3, 3: 0, 1: 2, 2: 1 }[held.n];
          const down = { 0: 1, 1: 0, 2: 3, 3: 2 }[held.n];
          corners[across][0] = corners[held.n][0];
          corners[down][1] = corners[held.n][1];
        }
        this.bench.cards.change("source.values.corners", corners, false);
      }
    } else {
      const [w, h] = this.facts.photo;
      const period = JSON.parse(JSON.stringify(this.source.values.period));
      if (held.n === 0) period[0] = [x * w, y * h];
      else period[held.n] = [x * w - period[0][0], y * h - period[0][1]];
      this.bench.cards.change("source.values.period", period, false);
    }
    this.draw();
  }

  toShare(event) {
    const frame = this.canvas.getBoundingClientRect();
    return [
      (event.clientX - frame.left - this.shown.left) / this.shown.width,
      (event.clientY - frame.top - this.shown.top) / this.shown.height,
    ];
  }

  async load() {
    if (this.facts?.file === this.source.values.file) return;
    const answer = await this.link.ask("photo", { what: "photo", file: this.source.values.file });
    if (!answer || answer.facts.refused) {
      if (answer) this.bench.refused(answer.facts.refused.message);
      return;
    }
    const { facts, pixels } = answer;
    this.facts = { ...facts, file: this.source.values.file };
    this.picture = document.createElement("canvas");
    this.picture.width = facts.width;
    this.picture.height = facts.height;
    this.picture
      .getContext("2d", { alpha: false })
      .putImageData(new ImageData(pixels, facts.width, facts.height), 0, 0);
  }

  draw() {
    if (!this.picture) return;
    const ratio = window.devicePixelRatio || 1;
    const { width, height } = this.box.getBoundingClientRect();
    Object.assign(this.canvas, { width: Math.round(width * ratio), height: Math.round(height * ratio) });
    this.canvas.style.width = `${width}px`;
    this.canvas.style.height = `${height}px`;
    const scale = Math.min((width - 40) / this.picture.width, (height - 84) / this.picture.height);
    const size = [this.picture.width * scale, this.picture.height * scale];
    this.shown = { left: (width - size[0]) / 2, top: (height - 44 - size[1]) / 2, width: size[0], height: size[1] };
    const context = this.canvas.getContext("2d", { alpha: false });
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    context.fillStyle = "#d2d2d2";
    context.fillRect(0, 0, width, height);
    context.drawImage(this.picture, this.shown.left, this.shown.top, size[0], size[1]);
    const at = ([x, y]) => [this.shown.left + x * size[0], this.shown.top + y * size[1]];
    if (this.source.name === "photo") this.drawCorners(context, at);
    else this.drawArrows(context, at);
    this.box.dataset.drawn = String(Number(this.box.dataset.drawn || 0) + 1);
  }

  drawCorners(context, at) {
    const corners = this.corners().map(at);
    for (const [style, width] of [
      ["#ffffff", 4],
      ["#1b5e80", 2],
    ]) {
      context.strokeStyle = style;
      context.lineWidth = width;
      context.beginPath();
      corners.forEach(([x, y], n) => (n ? context.lineTo(x, y) : context.moveTo(x, y)));
      context.closePath();
      context.stroke();
    }
    for (const [x, y] of corners) this.handle(context, x, y);
    this.hint("Drag a corner to crop, Shift-drag to straighten. Drag inside to move.");
  }

  // What can be done here, or what was found while it still is as it was found.
  hint(words) {
    const found = this.found?.of === JSON.stringify(this.source.values) ? this.found.words : words;
    id("photo-words").textContent = found;
  }

  tellFound(words) {
    this.found = { words, of: JSON.stringify(this.source.values) };
    this.draw();
  }

  drawArrows(context, at) {
    const places = this.handles().map(at);
    if (!places.length) {
      this.hint("The whole picture is one repeat. If it holds several, click Find repeat.");
      return;
    }
    const [start, a, b] = places;
    for (const [style, width] of [
      ["#ffffff", 5],
      ["#1b5e80", 2.5],
    ]) {
      context.strokeStyle = style;
      context.lineWidth = width;
      context.beginPath();
      for (const end of [a, b]) {
        context.moveTo(...start);
        context.lineTo(...end);
      }
      context.moveTo(...a);
      context.lineTo(a[0] + b[0] - start[0], a[1] + b[1] - start[1]);
      context.lineTo(...b);
      context.stroke();
    }
    for (const [x, y] of places) this.handle(context, x, y);
    this.hint("Drag the arrowheads to adjust the repeat, the start point to move it.");
  }

  handle(context, x, y) {
    context.fillStyle = "#ffffff";
    context.strokeStyle = "#1b5e80";
    context.lineWidth = 2;
    context.beginPath();
    context.arc(x, y, 8, 0, 2 * Math.PI);
    context.fill();
    context.stroke();
  }

  takeCorners(corners) {
    const next = this.bench.cards.copy();
    next.source = { name: "photo", values: { file: this.source.values.file, corners } };
    return this.bench.cards.rebuild(next).then(() => this.draw());
  }

  async findClean() {
    const share = Number(id("part-size").value);
    id("photo-words").textContent = "Finding the cleanest part…";
    const answer = await this.link.ask("clean", {
      what: "cleanest",
      file: this.source.values.file,
      width: share,
      height: share,
    });
    if (!answer) return;
    if (answer.facts.refused) {
      this.bench.refused(answer.facts.refused.message);
      return;
    }
    const { parts } = answer.facts;
    // Pressed again it takes the next best.
    this.part = this.lastShare === share ? ((this.part ?? -1) + 1) % parts.length : 0;
    this.lastShare = share;
    await this.takeCorners(parts[this.part].corners);
    this.tellFound(`Part ${this.part + 1} of ${parts.length}, cleanest first. Click again for the next.`);
  }

  async findPeriod() {
    const { file } = this.source.values;
    const answer = await this.link.ask("period", { what: "period", file });
    if (!answer) return;
    if (answer.facts.refused) {
      this.bench.refused(answer.facts.refused.message);
      return;
    }
    const found = answer.facts;
    const next = this.bench.cards.copy();
    next.source = { name: "picture", values: { file, period: [found.start, found.across, found.down] } };
    Object.assign(next, { repeat: found.repeat, stagger: found.stagger, size: found.size });
    await this.bench.cards.rebuild(next);
    if (!this.open) await this.bench.mode("photo");
    this.tellFound(
      `Found: ${found.size[0]} × ${found.size[1]} px, ${found.repeat}, rotated ${found.turn_deg.toFixed(1)}°, ${Math.round(100 * found.strength)} % match`,
    );
    this.box.dataset.found = "1";
  }
}
