// What every page does: listens for changes so that the strip follows them, and shows refusals.
import { readTold, socketAddress } from "./live.js";

const SIGNED_OUT = 4401;
let wait = 200;

function listen() {
  const socket = new WebSocket(socketAddress("/live/notices/"));
  socket.binaryType = "arraybuffer";
  socket.onopen = () => {
    wait = 200;
  };
  socket.onmessage = (event) => {
    const news = readTold(event.data);
    if (news.kind === "draft") document.dispatchEvent(new CustomEvent("orvix-draft", { detail: news }));
    else if (news.kind === "listening") {
      document.body.dataset.listening = "yes";
      document.dispatchEvent(new CustomEvent("orvix-listening"));
    } else window.htmx.trigger(document.body, "orvix-changed");
  };
  socket.onclose = ({ code }) => {
    if (code === SIGNED_OUT) {
      window.location.assign(`/sign-in/?${new URLSearchParams({ next: window.location.pathname })}`);
      return;
    }
    setTimeout(listen, wait);
    wait = Math.min(wait * 2, 4000);
  };
}

// Something a painter should know, until it is closed. link: {href, words}, where it leads on.
export function note(title, message, link = null) {
  const box = document.createElement("div");
  box.className = "refusal";
  const words = document.createElement("span");
  const bold = document.createElement("b");
  bold.textContent = `${title}. `;
  words.append(bold, message);
  if (link) words.append(" ", Object.assign(document.createElement("a"), { href: link.href, textContent: link.words }));
  const close = document.createElement("button");
  close.type = "button";
  close.className = "plain push";
  close.dataset.dismiss = "";
  close.textContent = "Close";
  box.append(words, close);
  document.getElementById("refusals").replaceChildren(box);
}

export const refuse = (message) => note("Refused", message);

// Post a form's values; gives the JSON that was answered, or {refused: why}.
export async function post(href, values) {
  const headers = { ...JSON.parse(document.body.getAttribute("hx-headers")), Accept: "application/json" };
  const body = values instanceof FormData ? values : new URLSearchParams(values);
  const answer = await fetch(href, { method: "POST", headers, body });
  if (answer.status === 204) return {};
  if (answer.ok) return answer.json();
  const told = await answer.json().catch(() => ({}));
  return { refused: told.message ?? "it could not be done; nothing was changed", code: told.code };
}

document.body.addEventListener("orvix-told", ({ detail }) => note(detail.title, detail.message));
document.body.addEventListener("htmx:beforeSwap", (event) => {
  const { xhr } = event.detail;
  if (xhr.status >= 400) {
    event.detail.shouldSwap = true;
    event.detail.isError = false;
    event.detail.target = document.getElementById("refusals");
    event.detail.swapOverride = "innerHTML";
  }
});
document.body.addEventListener("htmx:sendError", () =>
  refuse("The application does not answer. What you set is still on the page: try again."),
);
// A form that is one file is sent once that is chosen.
document.addEventListener("change", ({ target }) => {
  if (target.matches("input[type=file][data-sends]")) target.form.submit();
});
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-dismiss]")) event.target.closest(".refusal").remove();
});
listen();
