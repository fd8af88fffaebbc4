// What any page does: it tells a painter something, and posts a form.

// Counts on a box what was done there, for whoever waits for it.
export function count(box, name) {
  box.dataset[name] = String(Number(box.dataset[name] || 0) + 1);
}

const SHOWN_MS = 6000;

// Something a painter should know, for a few seconds, or as long as the pointer or the focus is on it. What did not
// work stays until it is closed. link: {href, words}, where it leads on.
export function note(title, message, link = null, { stays = false } = {}) {
  const box = document.createElement("div");
  box.className = stays ? "refusal bad" : "refusal";
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
  if (stays) return;
  const goes = () => {
    if (box.matches(":hover, :focus-within")) setTimeout(goes, SHOWN_MS);
    else box.remove();
  };
  setTimeout(goes, SHOWN_MS);
}

export const refuse = (message) => note("That did not work", message, null, { stays: true });

// Post a form's values; gives the JSON that was answered, or {refused: why}.
export async function post(href, values) {
  const headers = { ...JSON.parse(document.body.getAttribute("hx-headers")), Accept: "application/json" };
  const body = values instanceof FormData ? values : new URLSearchParams(values);
  const answer = await fetch(href, { method: "POST", headers, body });
  if (answer.status === 204) return {};
  if (answer.ok) return answer.json();
  const told = await answer.json().catch(() => ({}));
  return { refused: told.message ?? "The server could not do this. Nothing was changed. Try again.", code: told.code };
}
