// Files can be dropped on their field, are shown before they are sent, and are taken out again one by one.

for (const field of document.querySelectorAll<HTMLElement>(".files-field")) {
  const input = field.querySelector<HTMLInputElement>("input[type=file]");
  const list = field.querySelector<HTMLElement>(".chosen-files");
  if (input && list) enhance(field, input, list);
}

function enhance(field: HTMLElement, input: HTMLInputElement, list: HTMLElement): void {
  const { most = "1", size = "0", tooLarge = "", tooMany = "", remove = "" } = field.dataset;
  const boxes = [...field.querySelectorAll<HTMLInputElement>("input[type=checkbox]")];
  const isRequired = field.dataset.required === "yes";
  let chosen: File[] = [];

  /** Files that are chosen come to those that were chosen before; where one fits, it takes their place. */
  const add = (files: readonly File[]) => {
    if (files.length === 0) return;
    if (Number(most) === 1) {
      chosen = files.slice(0, 1);
      for (const box of boxes) box.checked = false;
    } else {
      const isSame = (one: File, other: File) => one.name === other.name && one.size === other.size;
      chosen = [...chosen, ...files.filter((file) => !chosen.some((each) => isSame(each, file)))];
    }
    show();
  };

  const show = () => {
    const data = new DataTransfer();
    for (const file of chosen) data.items.add(file);
    input.files = data.files;
    list.replaceChildren(...chosen.map(line));
    check();
  };

  const check = () => {
    const kept = boxes.filter((box) => box.checked).length;
    const large = chosen.find((file) => file.size > Number(size));
    const wrong = large
      ? `${large.name} ${tooLarge}`
      : kept + chosen.length > Number(most)
        ? tooMany
        : "";
    input.setCustomValidity(wrong);
    input.required = isRequired && kept === 0;
    if (wrong) input.reportValidity();
  };

  const line = (file: File): HTMLElement => {
    const item = document.createElement("li");
    if (/^image\/(jpeg|png|webp|gif|avif)$/.test(file.type)) {
      const picture = Object.assign(new Image(), { src: URL.createObjectURL(file), alt: "" });
      picture.addEventListener("load", () => URL.revokeObjectURL(picture.src));
      item.append(picture);
    }
    const button = Object.assign(document.createElement("button"), { type: "button" });
    button.className = "btn btn-sm btn-outline-secondary";
    button.textContent = remove;
    button.setAttribute("aria-label", `${remove}: ${file.name}`);
    button.addEventListener("click", () => {
      chosen = chosen.filter((each) => each !== file);
      show();
      input.focus();
    });
    const name = Object.assign(document.createElement("span"), { textContent: file.name });
    name.className = "file-name";
    item.append(name, button);
    return item;
  };

  input.addEventListener("change", () => add([...(input.files ?? [])]));
  for (const box of boxes) box.addEventListener("change", check);
  field.addEventListener("dragover", (event) => {
    if (!event.dataTransfer?.types.includes("Files")) return;
    event.preventDefault();
    field.classList.add("over");
  });
  field.addEventListener("dragleave", ({ relatedTarget }) => {
    if (!field.contains(relatedTarget as Node | null)) field.classList.remove("over");
  });
  field.addEventListener("drop", (event) => {
    field.classList.remove("over");
    if (!event.dataTransfer?.types.includes("Files")) return;
    event.preventDefault();
    add([...event.dataTransfer.files]);
  });
}

export {};
