// The job page: where it is, its fields, and what it says quietly.

export const main = document.querySelector("main[data-who]");
export const job = main?.dataset.job;
export const who = main?.dataset.who;

export const view = () => ({ stage: main.dataset.stage, axle: main.dataset.axle, wear: main.dataset.wear });

export const say = (words) => {
  const place = document.getElementById("saved");
  if (!place) return;
  place.textContent = words;
  place.classList.remove("saved-idle");
};

// A finding's place on the page: a field, or the group of words it is chosen from.
export const placeOf = (element) => element.closest("[data-entry-group]") ?? element;
export const placeById = (id) => {
  const element = document.getElementById(id);
  return element && placeOf(element);
};

export const isGroup = (place) => place.matches("[data-entry-group]");

export const valueOf = (place) =>
  isGroup(place) ? (place.querySelector("input:checked")?.value ?? "") : place.value.trim();

// What a person fills in, or draws.
export const FIELDS = "input:not([type=hidden]):not([type=file]), select, textarea, [data-drawn]";

// Whether a field of a form holds something else than the page came with.
export function isTyped(field) {
  if (field.matches("[data-drawn]")) return field.value !== "";
  if (field.matches("[type=radio], [type=checkbox]")) return field.checked !== field.defaultChecked;
  if (field.matches("select")) return [...field.options].some((one) => one.selected !== one.defaultSelected);
  return field.value !== field.defaultValue;
}

export function show(place, value) {
  if (isGroup(place)) {
    for (const input of place.querySelectorAll("input")) input.checked = input.value === value;
  } else {
    place.value = value;
  }
}

// What stands at a place, as the server last said it, and the number of the entry it showed.
export function stands(place, value, entry) {
  place.dataset.kept = value;
  if (entry) place.dataset.seen = entry;
}

export const messageOf = (place) => document.getElementById(`message-${place.dataset.id}`);

// Parts of the page that an answer brings along replace their older selves. Where a suspect's reason follows, the one
// that stood there stays meanwhile, and a suspect that may not be listed is shown only where it stood, so that nothing
// jumps.
export function refresh(html) {
  const before = new Map();
  for (const line of document.querySelectorAll("[data-suspect]")) {
    before.set(line.dataset.suspect, line.querySelector(".suspect-reason")?.textContent);
  }
  window.htmx.swap("#saved", html, { swapStyle: "none" });
  for (const line of document.querySelectorAll("[data-unsure]")) line.hidden = !before.has(line.dataset.suspect);
  for (const place of document.querySelectorAll("[data-follows]")) {
    place.textContent = before.get(place.closest("[data-suspect]").dataset.suspect) || place.textContent;
  }
}
