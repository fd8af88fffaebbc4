// Publishing a changed tile: what follows it is shown first; or it is split off, or dropped. The server does all three.
import { post, refuse } from "./page.js";

const id = (name) => document.getElementById(name);

export class Publishing {
  // recipe(): what is published, or nothing where the server has it. ready(): resolves once everything is stored.
  // published(xhr), dropped(), split(told): called after each.
  constructor({ recipe = () => null, ready = async () => {}, splitHref, published, dropped, split }) {
    this.recipe = recipe;
    this.ready = ready;
    this.splitHref = splitHref;
    this.published = published;
    this.dropped = dropped;
    this.split = split;
    document.addEventListener("click", (event) => this.pressed(event.target));
    document.addEventListener("submit", (event) => {
      if (event.target.id === "split-form") {
        event.preventDefault();
        this.splitOff(event.target);
      }
    });
    document.body.addEventListener("htmx:configRequest", (event) => {
      if (event.detail.elt.id === "publish-form") this.told(event.detail.parameters);
    });
    document.body.addEventListener("htmx:afterRequest", (event) => {
      if (event.detail.elt.id === "publish-form" && event.detail.successful) this.published(event.detail.xhr);
    });
  }

  told(parameters) {
    const recipe = this.recipe();
    if (recipe) parameters.recipe = JSON.stringify(recipe);
  }

  async pressed(target) {
    if (target.closest("[data-publish-more]")) id("publish-dialog").showModal();
    else if (target.closest("[data-close]")) id("publish-dialog").close();
    else if (target.closest("[data-publish]")) {
      await this.ready();
      if (Number(id("publish-box").dataset.followers)) id("publish-dialog").showModal();
      else id("publish-form").requestSubmit();
    } else if (target.closest("[data-drop-draft]")) {
      id("publish-dialog").close();
      this.dropped();
    }
  }

  async splitOff(form) {
    await this.ready();
    const values = { name: form.elements.name.value };
    this.told(values);
    const told = await post(this.splitHref, values);
    if (told.refused) {
      id("publish-dialog").close();
      refuse(told.refused);
      return;
    }
    this.split(told);
  }
}
