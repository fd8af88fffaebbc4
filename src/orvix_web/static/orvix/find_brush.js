// Finds brushes in the list by any word on them: name, set, tags, what they are for.
const field = document.getElementById("find-brush");

field?.addEventListener("input", () => {
  const wanted = field.value.trim().toLowerCase().split(/\s+/).filter(Boolean);
  for (const card of document.querySelectorAll(".thing")) {
    const words = card.textContent.toLowerCase();
    card.classList.toggle("hidden", !wanted.every((word) => words.includes(word)));
  }
});
