// Finding from any page: F2 leads to the field, also out of another one; so does a slash where nothing is typed.

document.addEventListener("keydown", (event) => {
  const typing = event.target.closest("input, textarea, select, [contenteditable]");
  const field = document.getElementById("find");
  const asked = event.key === "F2" || (event.key === "/" && !typing);
  if (!asked || event.ctrlKey || event.metaKey || event.altKey) return;
  event.preventDefault();
  if (!field) return location.assign("/find");
  field.focus();
  field.select();
});

// A list that was unfolded over the page closes by itself when something else is meant.
document.addEventListener("click", (event) => {
  for (const open of document.querySelectorAll("details.more[open]")) {
    if (!open.contains(event.target)) open.open = false;
  }
});
