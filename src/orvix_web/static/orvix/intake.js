// Pictures that are pasted or dropped on the page go the same way as those chosen from a file.

const form = document.getElementById("upload");

async function take(file) {
  const data = new FormData(form);
  data.set("picture", file, file.name || "pasted.png");
  const answer = await fetch(form.action, { method: "POST", headers: { "HX-Request": "true" }, body: data });
  if (answer.redirected) location.assign(answer.url);
  else document.getElementById("refusals").innerHTML = await answer.text();
}

const fileOf = (list) => [...(list?.files ?? [])][0];

document.addEventListener("paste", (event) => {
  const file = fileOf(event.clipboardData);
  if (file) {
    event.preventDefault();
    take(file);
  }
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
  event.preventDefault();
  document.body.classList.remove("dropping");
  const file = fileOf(event.dataTransfer);
  if (file) take(file);
});
