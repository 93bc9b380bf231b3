// The groups of a list close and open by their headings.

for (const row of document.querySelectorAll<HTMLTableRowElement>("tr.group")) {
  const heading = row.cells[0];
  if (!heading) continue;
  const button = Object.assign(document.createElement("button"), { type: "button" });
  button.className = "toggle";
  button.setAttribute("aria-expanded", "true");
  button.setAttribute("aria-label", heading.innerText);
  heading.prepend(button);
  button.addEventListener("click", () => {
    const isOpen = button.getAttribute("aria-expanded") === "true";
    button.setAttribute("aria-expanded", String(!isOpen));
    for (
      let next = row.nextElementSibling;
      next && !next.classList.contains("group");
      next = next.nextElementSibling
    )
      next.toggleAttribute("hidden", isOpen);
  });
}
