// The print desk under the wall: what is asked, what is checked, what mends it, and what was sent.
import { asNumber } from "./values.js";

const id = (name) => document.getElementById(name);
const NUMBERS = { "print-ppi": "Printed at", copies: "Copies" };

const PRESSES = {
  enlarge: (check) => `Repaint ${Number(asNumber(check.value).toFixed(3))} times larger`,
  join: () => "Repaint with joined edges",
  ppi: (check) => `Print at ${check.value} ppi`,
  ground: () => "Fill with ground colour",
  accept: () => "Print anyway",
  open: () => "Open and fix",
  canvas: () => "Open canvas",
};

export class PrintDesk {
  // link: a BenchLink; of: {of, pk}; setPpi(ppi): a tile is printed at another resolution.
  constructor(box, link, of, { setPpi }) {
    this.box = box;
    this.link = link;
    this.of = of;
    this.wallPpi = setPpi;
    this.accepted = new Set();
    id("goods").addEventListener("change", () => {
      this.accepted.clear();
      this.check();
    });
    Object.keys(NUMBERS).forEach((name) =>
      id(name).addEventListener("change", () => {
        if (name === "print-ppi" && !this.wrong) this.wallPpi(this.ppi);
        this.check();
      }),
    );
    id("print-ground").addEventListener("input", () => {
      id("print-on").checked = true;
      this.check();
    });
    id("print-on").addEventListener("change", () => this.check());
    id("send-order").addEventListener("click", () => this.send());
    this.check();
  }

  get ppi() {
    return Number(id("print-ppi").value);
  }
  get ground() {
    return id("print-on").checked ? id("print-ground").value : "";
  }
  get goods() {
    return id("goods").value;
  }

  setPpi(ppi) {
    id("print-ppi").value = String(ppi);
    this.check();
  }

  // What is typed and cannot be printed, in words; nothing where it can.
  get wrong() {
    for (const [name, title] of Object.entries(NUMBERS)) {
      const { value, dataset } = id(name);
      const [low, high] = [Number(dataset.low), Number(dataset.high)];
      const number = value.trim() === "" ? NaN : Number(value);
      const whole = name !== "copies" || Number.isInteger(number);
      if (!(number >= low && number <= high && whole)) {
        return `${title}: enter ${whole ? "" : "a whole number, "}${low} to ${high}.`;
      }
    }
    return "";
  }

  // Nothing is checked, so nothing can be sent.
  cannot(words) {
    id("checks").replaceChildren();
    id("checks-passed").textContent = words;
    id("checks-words").textContent = "";
    id("send-order").disabled = true;
    id("send-order").textContent = "Send order";
    delete id("checks").dataset.of;
  }

  async check() {
    if (this.wrong) {
      this.link.drop("print");
      this.cannot(this.wrong);
      return;
    }
    const answer = await this.link.ask("print", {
      what: "print-checks",
      ...this.of,
      goods: this.goods,
      ppi: this.ppi,
      ground: this.ground,
    });
    if (!answer) return;
    if (this.wrong) return;
    if (answer.facts.refused) {
      this.cannot(answer.facts.refused.message);
      return;
    }
    const { checks } = answer.facts;
    const open = checks.filter((one) => !this.passes(one));
    id("checks").replaceChildren(...checks.map((one) => this.cell(one)));
    id("checks-passed").textContent = open.length
      ? `${checks.length - open.length} passed, ${open.length} to fix`
      : `All ${checks.length} passed`;
    id("checks-words").textContent = open.length ? "You can send the order when every check passes." : "";
    const button = id("send-order");
    button.disabled = open.length > 0;
    button.textContent = `Send ${id("copies").value} ${Number(id("copies").value) === 1 ? "copy" : "copies"}`;
    id("checks").dataset.of = this.goods;
  }

  passes(check) {
    return check.ok || this.accepted.has(check.name);
  }

  cell(check) {
    const cell = document.createElement("div");
    const ok = this.passes(check);
    cell.className = ok ? "check" : "check bad";
    cell.dataset.check = check.name;
    cell.innerHTML = '<b></b><span class="measured"></span><span class="note"></span><span class="note why"></span>';
    const [name, measured, asked, why] = cell.children;
    name.textContent = check.title;
    measured.textContent = check.measured;
    asked.textContent = check.asked;
    why.textContent = ok && !check.ok ? "Accepted as it is" : check.reason;
    if (!ok && check.mend) {
      const press = Object.assign(document.createElement("button"), {
        type: "button",
        className: "plain",
        textContent: PRESSES[check.mend](check),
      });
      press.addEventListener("click", () => this.mend(check));
      cell.append(press);
    }
    return cell;
  }

  async mend(check) {
    const { dataset } = this.box;
    if (check.mend === "ppi") {
      this.setPpi(check.value);
      this.wallPpi(check.value);
    } else if (check.mend === "ground") {
      id("print-on").checked = true;
      this.check();
    } else if (check.mend === "accept") {
      this.accepted.add(check.name);
      this.check();
    } else if (check.mend === "enlarge") {
      window.htmx.ajax("POST", dataset.enlarge, { target: "#jobs", swap: "outerHTML", values: { times: check.value } });
    } else if (check.mend === "join") {
      window.htmx.ajax("POST", dataset.enlarge, {
        target: "#jobs",
        swap: "outerHTML",
        values: { times: "1", edges: "joined" },
      });
    } else window.location.assign(dataset.bench);
  }

  async send() {
    id("send-order").disabled = true;
    const values = {
      goods: this.goods,
      ppi: this.ppi,
      copies: id("copies").value,
      ground: this.ground,
      accepted: [...this.accepted],
    };
    await window.htmx.ajax("POST", this.box.dataset.order, { target: "#orders", swap: "outerHTML", values });
    this.check();
  }
}
