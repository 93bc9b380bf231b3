// A slider says to which number it is set.
import { everywhere } from "./added-rows.ts";

everywhere<HTMLInputElement>("input[data-slider]", (slider) => {
  const told = slider.parentElement?.querySelector("output span");
  const tell = () => {
    if (told) told.textContent = slider.value;
  };
  slider.addEventListener("input", tell);
  tell();
});
