// A file that is dropped on any page goes where it makes sense. A bench's own field for such a file takes it at once
// (`data-drop`: its words); elsewhere the sheet of all pages takes it, with one question where several things may come
// of it. On a page with a `data-paste` field, a pasted picture goes there too.

const ENDINGS = { jpeg: "jpg", plain: "txt", zip: "zip", openraster: "ora" };

// Whether a field's `accept` has the file, by its type or its ending.
export function accepts(accept, { name, type }) {
  return accept.split(",").some((one) => {
    const rule = one.trim().toLowerCase();
    if (rule.startsWith(".")) return name.toLowerCase().endsWith(rule);
    if (rule.endsWith("/*")) return type.startsWith(rule.slice(0, -1));
    return type ? type === rule : name.toLowerCase().endsWith(`.${ENDINGS[rule.split("/")[1]] ?? rule.split("/")[1]}`);
  });
}

const inputs = (rule) => [.../** @type {NodeListOf<HTMLInputElement>} */ (document.querySelectorAll(rule))];

// A field gets all the files, or the first where it takes one only.
function give(input, files) {
  const held = new DataTransfer();
  files.slice(0, input.multiple ? files.length : 1).forEach((one) => held.items.add(one));
  input.files = held.files;
  input.dispatchEvent(new Event("change", { bubbles: true }));
}

function ask(files, takers) {
  const sheet = /** @type {HTMLDialogElement} */ (document.getElementById("drop-sheet"));
  sheet.querySelector("[data-file]").textContent = files.map((one) => one.name).join(", ");
  const list = sheet.querySelector("[data-choices]");
  list.replaceChildren(
    ...takers.map((input) => {
      const button = Object.assign(document.createElement("button"), { type: "button", className: "btn-o" });
      button.textContent = input.dataset.drop;
      button.addEventListener("click", () => {
        sheet.close();
        give(input, files);
      });
      return button;
    }),
  );
  sheet.showModal();
}

// What takes a file here: the page's own fields, or else the sheet's.
function takersOf(file) {
  const fit = (rule) => inputs(rule).filter((one) => !one.disabled && accepts(one.accept, file));
  const own = fit("input[data-drop]:not(#drop-sheet *)");
  return own.length ? own : fit("#drop-sheet input[data-drop]");
}

function take(files, refuse) {
  const takers = takersOf(files[0]);
  if (!takers.length) {
    refuse(`${files[0].name} is not a file this page can open. It takes pictures, layered files and bundles.`);
    return;
  }
  if (takers.length === 1) give(takers[0], files);
  else ask(files, takers);
}

export function takeFiles(refuse) {
  document.addEventListener("paste", (event) => {
    const [input] = inputs("input[data-paste]");
    const files = [...(event.clipboardData?.files ?? [])];
    if (!input || !files.length) return;
    event.preventDefault();
    give(
      input,
      files.map((one) => new File([one], one.name || "pasted.png", { type: one.type })),
    );
  });
  document.addEventListener("dragover", (event) => {
    if (![...event.dataTransfer.types].includes("Files")) return;
    event.preventDefault();
    document.body.classList.add("dropping");
  });
  document.addEventListener("dragleave", (event) => {
    if (!event.relatedTarget) document.body.classList.remove("dropping");
  });
  document.addEventListener("drop", (event) => {
    document.body.classList.remove("dropping");
    const files = [...event.dataTransfer.files];
    if (!files.length) return;
    event.preventDefault();
    take(files, refuse);
  });
  document
    .querySelector("#drop-sheet [data-close-drop]")
    ?.addEventListener("click", ({ target }) => target.closest("dialog").close());
}
