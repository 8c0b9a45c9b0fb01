// A signature drawn with finger, pen or mouse: lines of points in a hidden field, as the server keeps them.

const LEAST_STEP = 3;

const fieldOf = (svg) => svg.parentElement.querySelector("[data-drawn]");

function pointOf(svg, event) {
  const box = svg.getBoundingClientRect();
  const within = (value, most) => Math.round(Math.min(most, Math.max(0, value)));
  const [x, y] = [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height];
  return [within(x * 600, 600), within(y * 160, 160)];
}

const written = (svg) => [...svg.querySelectorAll("polyline")].map((line) => line.getAttribute("points")).join(";");

document.addEventListener("pointerdown", (event) => {
  const svg = event.target.closest?.("[data-sign]");
  if (!svg) return;
  event.preventDefault();
  svg.setPointerCapture(event.pointerId);
  const line = document.createElementNS("http://www.w3.org/2000/svg", "polyline");
  line.setAttribute("class", "signature-line");
  svg.append(line);
  const points = [pointOf(svg, event)];
  const draw = () => {
    line.setAttribute("points", points.map((point) => point.join(",")).join(" "));
    fieldOf(svg).value = written(svg);
  };
  draw();
  const move = (at) => {
    const next = pointOf(svg, at);
    const last = points[points.length - 1];
    if (Math.hypot(next[0] - last[0], next[1] - last[1]) < LEAST_STEP) return;
    points.push(next);
    draw();
  };
  const end = () => svg.removeEventListener("pointermove", move);
  svg.addEventListener("pointermove", move);
  svg.addEventListener("pointerup", end, { once: true });
  svg.addEventListener("pointercancel", end, { once: true });
});

document.addEventListener("click", (event) => {
  const again = event.target.closest("[data-sign-again]");
  if (!again) return;
  const svg = again.closest("form").querySelector("[data-sign]");
  svg.replaceChildren();
  fieldOf(svg).value = "";
});
