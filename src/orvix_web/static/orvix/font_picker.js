// The font of a lettering, chosen by sight and script: each is shown by its own sample, drawn by the core.
const byId = (id) => document.getElementById(id);

export class FontPicker {
  // picked(): a shipped font or a file of one's own was chosen.
  constructor(picked) {
    const dialog = byId("fonts-dialog");
    byId("font-open").addEventListener("click", () => dialog.showModal());
    dialog.addEventListener("click", (event) => {
      const choice = event.target.closest("[data-font], [data-font-file]");
      if (choice) {
        if (choice.dataset.font) {
          this.coat.tip.values.font = choice.dataset.font;
          delete this.coat.tip.source;
        } else this.coat.tip.source = { font_file: Number(choice.dataset.fontFile) };
        dialog.close();
        picked();
      } else if (event.target === dialog || event.target.closest("[data-close]")) dialog.close();
    });
  }

  fill(coat) {
    this.coat = coat;
    if (coat.tip.name !== "lettering") return;
    const own = coat.tip.source?.font_file;
    const chosen = document.querySelector(own ? `[data-font-file="${own}"]` : `[data-font="${coat.tip.values.font}"]`);
    byId("font-name").textContent = chosen?.dataset.title ?? coat.tip.values.font;
    byId("font-sample").src = chosen?.querySelector("img")?.src ?? "";
  }
}
