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

document.addEventListener("fox:recorded", () => {
  const desk = document.getElementById("desk");
  if (desk && window.htmx) window.htmx.ajax("GET", location.pathname + location.search, { source: desk, target: "#desk", swap: "innerMorph" });
});

// On a narrow screen the rail opens folded.
if (matchMedia("(max-width: 1000px)").matches) document.querySelector(".rail-fold")?.removeAttribute("open");
