// Quick entry: read while typing, choose, record on Enter, keep a draft.
const form = document.getElementById("entry");
const line = document.getElementById("entry-line");
const panel = document.getElementById("entry-panel");
const DRAFT = "fox-vat-draft";

let timer = 0;
let latest = 0;

async function read() {
  const turn = ++latest;
  if (!line.value.trim()) {
    panel.replaceChildren();
    return;
  }
  const token = JSON.parse(document.body.getAttribute("hx-headers:inherited"))["X-CSRFToken"];
  const headers = { "X-CSRFToken": token, "HX-Request": "true" };
  try {
    const answer = await fetch(form.dataset.read, { method: "POST", body: new FormData(form), headers });
    const text = await answer.text();
    if (turn === latest && answer.ok && line.value.trim()) panel.innerHTML = text;
  } catch {
    panel.textContent = "The desk does not answer. Your line is kept as a draft.";
    keep();
  }
}

function keep() {
  if (line.value.trim()) localStorage.setItem(DRAFT, line.value);
  else localStorage.removeItem(DRAFT);
}

line.addEventListener("input", () => {
  form.elements.chosen.value = "";
  keep();
  clearTimeout(timer);
  timer = setTimeout(read, 90);
});

line.addEventListener("focus", () => {
  const draft = localStorage.getItem(DRAFT);
  if (draft && !line.value) {
    line.value = draft;
    line.select();
    read();
  }
});

line.addEventListener("keydown", (event) => {
  if (event.key === "Escape") {
    keep();
    latest++;
    line.value = "";
    panel.replaceChildren();
    line.blur();
  } else if (event.key === "ArrowDown") {
    const first = panel.querySelector("button, a");
    if (first) {
      event.preventDefault();
      first.focus();
    }
  }
});

panel.addEventListener("click", (event) => {
  const choice = event.target.closest("[data-choose]");
  if (!choice) return;
  form.elements.chosen.value = choice.dataset.choose;
  line.focus();
  read();
});

document.addEventListener("click", (event) => {
  if (!event.target.closest(".entry-box")) panel.replaceChildren();
});

form.addEventListener("submit", () => {
  clearTimeout(timer);
  latest++;
});

document.addEventListener("htmx:after:swap", () => {
  const kept = panel.querySelector("[data-kept]");
  if (!kept || kept.dataset.seen) return;
  kept.dataset.seen = "yes";
  form.elements.form_key.value = kept.dataset.formKey;
  form.elements.chosen.value = "";
  line.value = "";
  localStorage.removeItem(DRAFT);
  document.dispatchEvent(new CustomEvent("fox:recorded"));
});
