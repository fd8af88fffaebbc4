// The shelf: what is selected, what can be done with it, and what uses the one that was selected last.
import { post, refuse } from "./page.js";
import { Selection } from "./selection.js";

const id = (name) => document.getElementById(name);

// What each way out can hold, by kinds of things.
const HOLDS = {
  bundle: ["tile", "grain", "brush", "canvas", "palette", "paths", "motif", "surface"],
  pictures: ["tile", "canvas"],
  sheet: ["tile", "grain", "brush", "canvas"],
};
const SHARED = new Set(HOLDS.sheet);
const selection = new Selection();
const boxes = () => [...document.querySelectorAll('#shelf-things input[name="thing"]')];

// What is selected but not shown goes with the form too: the list may be another by now.
function tell() {
  const hidden = selection.follow(boxes());
  id("shelf-hidden").replaceChildren(
    ...hidden.map((key) =>
      Object.assign(document.createElement("input"), { type: "hidden", name: "thing", value: key }),
    ),
  );
  const some = selection.keys;
  const trash = "trash" in id("shelf-things").dataset;
  id("shelf-bar").classList.toggle("hidden", !some.length);
  id("shelf-many").textContent = `${some.length} selected${hidden.length ? `, ${hidden.length} not shown` : ""}`;
  document
    .querySelectorAll("#shelf-bar [data-where]")
    .forEach((one) => one.classList.toggle("hidden", (one.dataset.where === "trash") !== trash));
  if (id("shelf-share")) id("shelf-share").disabled = !some.every((key) => SHARED.has(key.split("-")[0]));
  document.querySelectorAll("#shelf-bar [data-one]").forEach((one) => {
    one.disabled = some.length !== 1;
  });
}

document.addEventListener("change", ({ target }) => {
  if (target.name !== "thing") return;
  selection.tick(target.value, target.checked);
  tell();
  showUsed();
});

// What the one selected last was made from, what uses it, and who it is shared with.
function showUsed() {
  const last = selection.keys.at(-1);
  if (!last) return;
  const [kind, pk] = last.split("-");
  window.htmx.ajax("GET", `/shelf/${kind}/${pk}/used/`, { target: "#shelf-used", swap: "innerHTML" });
}
document.body.addEventListener("htmx:afterSettle", (event) => {
  if (event.detail.target?.id === "shelf-things" || event.target.id === "shelf-things") tell();
});
id("shelf-delete").addEventListener("click", (event) => {
  const many = selection.keys.length;
  // Pressed twice, so that nothing is gone by a slip.
  if (event.target.dataset.sure) {
    delete event.target.dataset.sure;
    event.target.textContent = "Delete permanently";
    return;
  }
  event.preventDefault();
  event.target.dataset.sure = "yes";
  event.target.textContent = `Delete ${many} permanently?`;
});
// What was moved, restored or deleted is selected no longer; what was only tagged or put in a set is.
document.body.addEventListener("htmx:configRequest", ({ detail }) => {
  if (detail.elt.id === "shelf-chosen") selection.asked = detail.parameters.what;
});
document.body.addEventListener("htmx:beforeSwap", ({ detail }) => {
  if (detail.elt.id === "shelf-chosen" && detail.xhr.status < 400) selection.done();
});
document.body.addEventListener("htmx:afterRequest", ({ detail }) => {
  if (detail.elt.closest?.("#shelf-chosen") && detail.successful) {
    id("shelf-value").value = "";
    showUsed();
  }
});
id("shelf-none").addEventListener("click", () => {
  selection.clear();
  boxes().forEach((one) => {
    one.checked = false;
  });
  tell();
});
// The shelf and its trash are two places: what is selected in one is not taken along to the other.
document.querySelectorAll('#shelf-find input[name="trash"], #shelf-find input[name="shared"]').forEach((one) =>
  one.addEventListener("change", () => {
    selection.clear();
    tell();
  }),
);

// The ways out: a bundle is fetched at once, what takes longer is made by a job.
const out = { dialog: id("shelf-out-dialog"), form: id("shelf-out-form") };
const kindsChosen = () => [...new Set(selection.keys.map((key) => key.split("-")[0]))];
function tellOut() {
  const { make } = Object.fromEntries(new FormData(out.form));
  out.form
    .querySelectorAll("[data-make]")
    .forEach((one) => one.classList.toggle("hidden", !one.dataset.make.split(" ").includes(make)));
  const wrong = kindsChosen().filter((kind) => !HOLDS[make].includes(kind));
  id("shelf-out-not").textContent = wrong.length
    ? `Cannot include ${wrong.join(", ")}. Select only ${HOLDS[make].join(", ")}.`
    : "";
  id("shelf-out-go").disabled = wrong.length > 0;
}
async function byJob(values) {
  const answer = await post(out.form.action, values);
  if (answer.refused) refuse(answer.refused);
  else {
    window.htmx.ajax("GET", `${out.form.dataset.jobs}?active=${answer.job},`, { target: "#jobs", swap: "outerHTML" });
  }
}
id("shelf-out").addEventListener("click", () => {
  id("shelf-out-many").textContent = selection.keys.length === 1 ? "1 item" : `${selection.keys.length} items`;
  for (const name of ["maker", "licence"]) out.form.elements[name].value = localStorage.getItem(`orvix-${name}`) ?? "";
  tellOut();
  out.dialog.showModal();
});
out.form.addEventListener("change", tellOut);
out.form.querySelector("[data-close]").addEventListener("click", () => out.dialog.close());
out.form.addEventListener("submit", (event) => {
  event.preventDefault();
  for (const name of ["maker", "licence"]) localStorage.setItem(`orvix-${name}`, out.form.elements[name].value);
  const values = new FormData(out.form);
  selection.keys.forEach((key) => values.append("thing", key));
  out.dialog.close();
  const layered = kindsChosen().includes("canvas");
  if (values.get("make") === "bundle" && !layered) {
    window.location.assign(
      `${out.form.dataset.bundle}?${new URLSearchParams(values.getAll("thing").map((one) => ["thing", String(one)]))}`,
    );
  } else byJob(values);
});
id("shelf-whole").addEventListener("click", () => byJob({ make: "whole" }));

// How large pictures are: the painter's own, kept on this machine.
const sizes = [...document.querySelectorAll('input[name="size"]')];
const show = (size) => {
  id("shelf-two").dataset.size = size;
};
for (const input of sizes) {
  input.checked = input.value === (localStorage.getItem("orvix-shelf-size") ?? "small");
  if (input.checked) show(input.value);
  input.addEventListener("change", (event) => {
    event.stopPropagation();
    localStorage.setItem("orvix-shelf-size", input.value);
    show(input.value);
  });
}
id("shelf-words").focus();
tell();
