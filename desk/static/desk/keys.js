// Keys: one press to a station, a page, the entry line or a number's working.
const typing = (target) => target.closest("input:not([type=checkbox]), select, textarea, [contenteditable]");

const floats = () => document.getElementById("float");

export function closeFloats() {
  floats()?.replaceChildren();
  opener?.focus();
  opener = null;
}

let opener = null;

const stops = document.body.dataset.stops.trim().split(" ");

function station(index) {
  if (index in stops) location.assign(`/${document.body.dataset.world}/at/${stops[index]}/`);
}

function step(offset) {
  const links = [...document.querySelectorAll("[data-stop]")];
  const here = links.findIndex((link) => link.hasAttribute("aria-current"));
  station(here < 0 ? 0 : (here + offset + stops.length) % stops.length);
}

const pages = { v: "Line", c: "Order", j: "Log", t: "Hand-over", b: "Methods" };

document.addEventListener("keydown", (event) => {
  if (event.key === "Escape") {
    closeFloats();
    return;
  }
  if (event.defaultPrevented || event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
  if (document.body.dataset.singleKeys !== "on" || document.querySelector("dialog[open]")) return;
  const pressable = event.target.closest("button, a, summary, input");
  if (event.key === " " && !pressable) {
    event.preventDefault();
    document.getElementById("entry-line").focus();
  } else if (event.key === "?") {
    document.getElementById("help").showModal();
  } else if (event.key === "[" || event.key === "]") {
    step(event.key === "]" ? 1 : -1);
  } else if (/^[0-9]$/.test(event.key)) {
    station(event.key === "0" ? 9 : Number(event.key) - 1);
  } else if (event.key === "w") {
    const number = event.target.closest("a[hx-get]") ?? document.querySelector("#main a.num, #main .svg-num");
    number?.click();
  } else if (pages[event.key]) {
    const link = [...document.querySelectorAll(".rail-nav a")].find((one) => one.textContent === pages[event.key]);
    link?.click();
  }
});

document.addEventListener("click", (event) => {
  if (event.target.closest("[data-close=float]")) closeFloats();
  const number = event.target.closest("a[hx-target='#float']");
  if (number && !number.closest("#float")) opener = number;
  const menu = document.querySelector("details.who[open]");
  if (menu && !event.target.closest("details.who")) menu.open = false;
});

document.addEventListener("htmx:after:swap", () => {
  const panel = floats()?.firstElementChild;
  if (panel && !panel.dataset.seen) {
    panel.dataset.seen = "yes";
    panel.focus({ preventScroll: true });
  }
});
