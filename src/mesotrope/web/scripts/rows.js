// Forms that every row of a list has: they stand in the page once, and each row gets its own from there, so that a long
// list comes quickly over a bad network. They are there before anything is opened, as if they had come with the row.

// Puts a value where it stands as what the page came with: what is typed later differs from it.
function put(form, name, value) {
  for (const field of [form.elements.namedItem(name) ?? []].flat()) {
    if (field.matches("select")) {
      for (const option of field.options) option.toggleAttribute("selected", option.value === value);
      field.value = value;
    } else if (field.type !== "hidden" || !field.getAttribute("value")) {
      field.setAttribute("value", value);
    }
  }
}

export function giveForms(part) {
  for (const place of part.querySelectorAll("[data-forms]:empty")) {
    const pattern = part.querySelector(`#${place.dataset.forms}`) ?? document.getElementById(place.dataset.forms);
    const forms = pattern.content.cloneNode(true);
    if (place.dataset.without) forms.querySelector(place.dataset.without)?.remove();
    const kept = JSON.parse(place.dataset.fields);
    for (const form of forms.querySelectorAll("form")) {
      const action = form.getAttribute("action").replace("/0/", `/${place.dataset.number}/`);
      form.setAttribute("action", action);
      const mine = Object.entries(kept).filter(([ending]) => action.endsWith(ending));
      for (const [name, value] of mine.flatMap(([, fields]) => Object.entries(fields))) put(form, name, value);
    }
    place.append(forms);
  }
}

document.addEventListener("htmx:afterSwap", () => giveForms(document));
giveForms(document);
