// The shelf: what is chosen, what can be done with it, and what uses the one that was chosen last.
const id = (name) => document.getElementById(name);
const SHARED = new Set(["tile", "grain", "brush", "canvas"]);
const chosen = () => [...document.querySelectorAll('#shelf-things input[name="thing"]:checked')];

function tell() {
  const some = chosen();
  const trash = "trash" in id("shelf-things").dataset;
  id("shelf-bar").classList.toggle("hidden", !some.length);
  id("shelf-many").textContent = `${some.length} chosen`;
  document.querySelectorAll("#shelf-bar [data-where]").forEach((one) => one.classList.toggle("hidden", (one.dataset.where === "trash") !== trash));
  const held = some.every((one) => ["tile", "grain", "brush"].includes(one.value.split("-")[0]));
  id("shelf-bundle").disabled = !held;
  if (id("shelf-share")) id("shelf-share").disabled = !some.every((one) => SHARED.has(one.value.split("-")[0]));
  document.querySelectorAll("#shelf-bar [data-one]").forEach((one) => { one.disabled = some.length !== 1; });
}

document.addEventListener("change", ({ target }) => {
  if (target.name !== "thing") return;
  tell();
  const last = target.checked ? target : chosen().at(-1);
  if (!last) return;
  const [kind, pk] = last.value.split("-");
  window.htmx.ajax("GET", `/shelf/${kind}/${pk}/used/`, { target: "#shelf-used", swap: "innerHTML" });
});
document.body.addEventListener("htmx:afterSettle", (event) => { if (event.detail.target?.id === "shelf-things" || event.target.id === "shelf-things") tell(); });
id("shelf-delete").addEventListener("click", (event) => {
  const many = chosen().length;
  // Pressed twice, so that nothing is gone by a slip.
  if (event.target.dataset.sure) { delete event.target.dataset.sure; event.target.textContent = "delete for good"; return; }
  event.preventDefault();
  event.target.dataset.sure = "yes";
  event.target.textContent = `really delete ${many}?`;
});
document.body.addEventListener("htmx:afterRequest", ({ detail }) => { if (detail.elt.id === "shelf-chosen" && detail.successful) id("shelf-value").value = ""; });
id("shelf-bundle").addEventListener("click", ({ currentTarget }) => window.location.assign(`${currentTarget.dataset.href}?${new URLSearchParams(chosen().map((one) => ["thing", one.value]))}`));
id("bundle-in").addEventListener("change", () => id("bundle-in").submit());
id("shelf-words").focus();
tell();
