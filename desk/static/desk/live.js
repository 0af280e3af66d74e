// The page keeps itself fresh: the clock ticks, and a new record shows at once.
const clock = document.getElementById("clock");
const started = Date.now();

function tick() {
  const server = new Date(clock.getAttribute("datetime")).getTime() + (Date.now() - started);
  const offset = clock.dataset.offset;
  const sign = offset.startsWith("-") ? -1 : 1;
  const minutes = sign * (Number(offset.slice(1, 3)) * 60 + Number(offset.slice(3, 5)));
  const local = new Date(server + minutes * 60000);
  clock.textContent = local.toISOString().slice(11, 16);
}

setInterval(tick, 5000);

// Only the desk's own answer may take its place: not a sign-in page the session's end led to, not a refusal.
document.addEventListener("htmx:before:response", (event) => {
  const { sourceElement, response } = event.detail.ctx;
  if (sourceElement?.id !== "desk") return;
  const away = response.raw.redirected || (response.status !== 200 && response.status !== 304);
  document.body.toggleAttribute("data-cut-off", away);
  if (response.status === 423) lock();
  if (away) event.preventDefault();
});

// A desk left alone is locked by the server; what is open here stays as it is under the lock.
const locked = document.getElementById("lock");
function lock() {
  if (!locked.open) locked.showModal();
}
locked?.addEventListener("cancel", (event) => event.preventDefault());
document.getElementById("unlock")?.addEventListener("submit", async (event) => {
  event.preventDefault();
  const form = event.target;
  const answer = await fetch(form.action, { method: "POST", body: new FormData(form), headers: { Accept: "application/json" } });
  const said = await answer.json().catch(() => ({ fault: "The desk did not answer; try again." }));
  form.reset();
  document.getElementById("lock-fault").textContent = said.fault;
  if (!said.fault) locked.close();
});

// What somebody has begun to type is theirs until it is sent: a refresh leaves it alone, and what is worked out of it (morphSkip).
document.addEventListener("input", (event) => {
  if (!event.target.closest("#desk")) return;
  event.target.dataset.typed = "";
  event.target.closest("[data-live]")?.setAttribute("data-typed", "");
});

// A refused form comes back as it was typed: every field of the form that was sent, opened, the faulty one in focus.
const sent = document.getElementById("sent");
if (sent) {
  const typed = JSON.parse(sent.textContent);
  const fits = (form) => new URL(form.action, location).pathname === typed.action
    && [...form.elements].every((field) => field.type !== "hidden" || !(field.name in typed.fields) || field.name === "form_key"
      || typed.fields[field.name].includes(field.value));
  const form = [...document.querySelectorAll("#main form[method=post]")].find(fits);
  for (const field of form?.elements ?? []) {
    const values = typed.fields[field.name];
    if (!values || field.type === "hidden" || field.type === "password") continue;
    if (field.type === "checkbox" || field.type === "radio") field.checked = values.includes(field.value);
    else field.value = values.shift() ?? field.value;
    field.dataset.typed = "";
  }
  form?.closest("details")?.setAttribute("open", "");
  form?.closest("[data-live]")?.setAttribute("data-typed", "");
  const faulty = form?.elements[typed.fault];
  if (faulty instanceof HTMLElement && faulty.type !== "hidden") {
    faulty.setAttribute("aria-invalid", "true");
    faulty.setAttribute("aria-describedby", "refused");
    faulty.focus();
  }
}

// A long file is gone through piece by piece: the page goes on by itself until it is done, or stopped.
const goesOn = document.querySelector("form[data-goes-on]");
if (goesOn) setTimeout(() => goesOn.requestSubmit(), 400);

// On a narrow screen the rail opens folded.
if (matchMedia("(max-width: 1000px)").matches) document.querySelector(".rail-fold")?.removeAttribute("open");
