import type { embeddedEn } from "./embedded.en.ts";

/** What pages in other sites say, and how administrators put them there, in Spanish. */
export const embeddedEs: typeof embeddedEn = {
  thanks: "Gracias. Hemos recibido lo que has enviado.",
  another: "Enviar otro",
  send: "Enviar",
  trap: "Deja esto en blanco",
  notNow: "Ahora no",
  tooMany: (minutes) =>
    `Este formulario se ha enviado demasiadas veces. Espera ${minutes} minutos, vuelve a él y envíalo de nuevo.`,
  sites: "En otros sitios",
  how: "Estas páginas pueden estar en páginas de otros sitios, como dice el modelo. Pon el código donde deba estar la página. Quien la mire allí ve lo que pueden ver los visitantes.",
  kinds: {
    list: "lista",
    record: "un registro",
    form: "formulario para visitantes",
    report: "informe",
    calendar: "calendario",
  },
  shownOn: (origins) => `Se muestra en ${origins.join(", ")}`,
  whichRecord: "La última parte de la dirección es el número del registro.",
  look: "Verla",
};
