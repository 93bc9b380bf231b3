import { inSentence } from "../entity/label.ts";
import type { peopleEn } from "./people.en.ts";
import { pluralForm } from "./plural.ts";

const plural = (count: number, one: string, other: string) =>
  pluralForm("es", count, { one, other });

/** The sentences about how people sign in, in Spanish. */
export const peopleEs: typeof peopleEn = {
  forgottenLink: "¿Has olvidado tu contraseña?",
  forgottenTitle: "Un enlace para otra contraseña",
  forgottenHelp:
    "Escribe la dirección con la que entras. Recibirás un correo con un enlace para elegir otra contraseña.",
  sendLink: "Enviar el enlace",
  letterSent: "Mira tu correo",
  letterSentHelp: (email) =>
    `Si alguien entra con ${email}, hay un correo en camino. Puede tardar unos minutos, y puede estar entre el correo no deseado.`,
  signUp: "Registrarse",
  signUpHelp: "Recibirás un correo con un enlace para elegir una contraseña.",
  signUpSent: (email) =>
    `Hay un correo en camino a ${email}. Sigue el enlace que lleva para elegir una contraseña.`,
  mustWait: "Podrás entrar en cuanto un administrador te haya admitido. Recibirás un correo.",
  askAnother: "Ya se usó, o es demasiado antiguo. Pide otro.",
  changeEmail: "Cambiar la dirección de correo",
  newEmail: "Nueva dirección de correo",
  emailLetter: (email) =>
    `Hay un correo en camino a ${email}. La nueva dirección vale en cuanto sigas el enlace que lleva.`,
  confirmEmail: "Usar esta dirección",
  confirmEmailHelp: (email) => `A partir de ahora entras con ${email}.`,
  mailbox: "Buzón",
  mailboxHelp:
    "No hay servidor de correo configurado. Aquí se guardan los correos que se habrían enviado.",
  mailEmpty: "Todavía no hay correos.",
  mailTo: "Para",
  mailStates: {
    waiting: "En espera",
    sending: "Enviándose",
    sent: "Enviado",
    failed: "No entregado",
    kept: "No enviado",
  },
  invitationSent: "Hay un correo con un enlace en camino.",
  letIn: "Admitir",
  inNone: "Todavía no estás en ninguna.",
  thisOneNow: "Estás aquí",
  goTo: "Ir allí",
  begin: "Empezar",
  nameOf: (kind) => `Nombre (${inSentence(kind)})`,
  anotherOne: (kind) => `Otra: ${inSentence(kind)}`,
  joined: "Ya entra aquí, y ahora también está en esta organización. Un correo se lo dice.",
  removeHere: (name) => `${name} ya no podrá trabajar aquí, pero sí en otras organizaciones.`,
  plan: "Plan contratado",
  planFull: (most, many) => `El plan admite ${most} ${many}, y no más.`,
  planPeople: (used, most) =>
    `El plan es para ${most} ${plural(most, "persona", "personas")}, y hay ${used}.`,
  planUsage: (used, most) => `${used} de ${most}`,
  planNearlyFull: (used, most, many) => `El plan admite ${most} ${many}; hay ${used}.`,
  changePlan: "Cambiar el plan",
  paymentStandIn:
    "Esta página hace las veces de un servicio de pagos mientras se desarrolla la aplicación. No se cobra nada.",
  pay: "Pagar",
  secondFactor: "Segundo factor",
  secondFactorOff:
    "Con un segundo factor, la contraseña sola no basta para entrar: una aplicación de tu teléfono muestra un código que cambia cada medio minuto.",
  secondFactorOn: "Al entrar se pide un código de tu aplicación.",
  setUpSecond: "Configurar un segundo factor",
  scanCode: "Escanea esto con la aplicación, o escribe en ella la clave:",
  code: "Código",
  codeHint: "Seis cifras de tu aplicación, o un código de recuperación",
  sixDigits: "Seis cifras de tu aplicación",
  wrongCode: "Este código no es correcto, o ya se usó.",
  turnOnSecond: "Activar",
  turnOffSecond: "Desactivar el segundo factor",
  recoveryCodes: "Códigos de recuperación",
  recoveryHelp:
    "Con cada uno entras una vez sin tu aplicación. Guárdalos en un lugar seguro: solo se muestran ahora.",
  recoveryLeft: (count) =>
    `${plural(count, "Queda", "Quedan")} ${count} ${plural(count, "código", "códigos")} de recuperación.`,
  newRecovery: "Crear nuevos códigos de recuperación",
  removeSecond: "Quitar el segundo factor",
  confirmSignIn: "Confirma que eres tú",
  passkeys: "Llaves de acceso",
  passkeysHelp:
    "Con una llave de acceso entras por tu teléfono, tu ordenador o una llave de seguridad, sin contraseña.",
  addPasskey: "Añadir una llave de acceso",
  passkeyName: "Nombre de la llave",
  usePasskey: "Entrar con una llave de acceso",
  passkeyRefused: "Aquí no se conoce esta llave. Entra de otra manera.",
  passkeyFailed: "No se pudo usar la llave de acceso.",
  remove: "Quitar",
  neverUsed: "Aún sin usar",
  signInBy: (provider) => `Entrar con ${provider}`,
  providerRefused: "No puedes entrar de esta manera. Pide a un administrador que te invite.",
  providerAway:
    "No se puede llegar al servicio de acceso. Inténtalo más tarde, o entra de otra manera.",
  views: "Vistas",
  viewsOf: (many) => `Vistas de ${many}`,
  keepView: "Guardar esta vista…",
  putInMenu: "También en el menú",
  isInMenu: "en el menú",
  makeStart: "Abrir al entrar",
  endStart: "No abrir al entrar",
  shareWith: "Para quién",
  nobodyElse: "Para mí",
  deleteView: (name) => `Eliminar la vista ${name}`,
  tooManyViews: "Hay demasiadas vistas, o esta tiene demasiados filtros.",

  rights: "Derechos",
  rightsStart:
    "Con qué registros puede hacer algo cada grupo. El modelo dice cómo empieza; aquí se puede cambiar.",
  rightsCeiling:
    "Con qué registros puede hacer algo cada grupo. El modelo dice qué es posible; aquí se puede quitar una parte.",
  ownGroups: "Grupos propios",
  ownGroupsHelp:
    "Grupos además de los del modelo. No pueden hacer nada hasta que se les den derechos.",
  newGroup: "Grupo nuevo",
  groupTaken: "Ya hay un grupo con este nombre, o hay demasiados.",
  deleteGroup: (name: string) => `¿Eliminar el grupo «${name}»?`,
  deleteGroupHelp: (members: number) =>
    members === 1
      ? "Hay 1 persona en él, y pierde los derechos que da."
      : `Hay ${members} personas en él, y pierden los derechos que da.`,
  visitors: "Visitantes",
  everyone: "Todos",
  asModel: (what) => `${what} (modelo)`,
  forAll: "Todos",
  forSome: "Algunos",
  forNone: "Ninguno",
  actions: {
    see: "Ver",
    add: "Añadir",
    change: "Cambiar",
    delete: "Borrar",
    history: "Ver el historial",
    export: "Exportar",
  },
  asItWas: "Como era",
  asItWasTitle: (headings) => `${headings}: como eran`,
  moment: "Momento",
  show: "Mostrar",
  nothingThen: "Entonces no había nada.",
  asItWasCut: "Hay más registros, o más cambios desde entonces, de los que mira esta página.",
  activity: "Actividad",
  activityHelp: "Quién usó qué páginas, en los últimos 30 días.",
  mostActive: "Personas más activas",
  mostVisited: "Páginas más visitadas",
  byDay: "Por día",
  asTable: "Como tabla",
  day: "Día",
  page: "Página",
  visits: "Páginas abiertas",
  peopleThere: "Personas",
  activityOff: "No se registra la actividad: ACTIVITY=no.",
  letters: {
    invited: (application, link, hours) => ({
      subject: `Invitación a ${application}`,
      text: `Te han invitado a ${application}. Elige aquí una contraseña:\n\n${link}\n\nEl enlace vale una vez, durante ${hours} horas.\n`,
    }),
    forgotten: (application, link, hours) => ({
      subject: `Otra contraseña para ${application}`,
      text: `Alguien, seguramente tú, pidió otra contraseña para ${application}. Elígela aquí:\n\n${link}\n\nEl enlace vale una vez, durante ${hours} ${plural(hours, "hora", "horas")}. Si no fuiste tú, no hagas nada: tu contraseña sigue igual.\n`,
    }),
    signedUp: (application, link, hours) => ({
      subject: `Tu cuenta en ${application}`,
      text: `Alguien, seguramente tú, se registró en ${application} con esta dirección. Elige aquí una contraseña:\n\n${link}\n\nEl enlace vale una vez, durante ${hours} horas. Si no fuiste tú, no hagas nada.\n`,
    }),
    joined: (application, where, link) => ({
      subject: `${where} en ${application}`,
      text: `Ahora estás en «${where}» en ${application}. Entra como siempre:\n\n${link}\n`,
    }),
    knownAlready: (application, link) => ({
      subject: `Tu cuenta en ${application}`,
      text: `Alguien, seguramente tú, se registró en ${application} con esta dirección, pero ya tiene una cuenta. Entra aquí, o pide otra contraseña:\n\n${link}\n`,
    }),
    letIn: (application, link) => ({
      subject: `Ya puedes entrar en ${application}`,
      text: `Un administrador te ha admitido. Entra aquí:\n\n${link}\n`,
    }),
    newEmail: (application, link, hours) => ({
      subject: `Tu nueva dirección para ${application}`,
      text: `Sigue este enlace para entrar en ${application} con esta dirección a partir de ahora:\n\n${link}\n\nEl enlace vale una vez, durante ${hours} ${plural(hours, "hora", "horas")}. Si no lo pediste, no hagas nada.\n`,
    }),
    monthly: (application, name, report) => ({
      subject: `${name} · ${application}`,
      text: `${report}\n\nRecibes este informe al principio de cada mes. Quien lo guardó en ${application} puede anularlo.\n`,
    }),
    changed: (application, what) => ({
      subject: `Tu cuenta en ${application}`,
      text: `${what}\n\nSi no fuiste tú, pide ayuda enseguida a un administrador de ${application}.\n`,
    }),
  },
  ownChanges: {
    password: "Se cambió tu contraseña.",
    email: (email) => `Tu dirección se cambió a ${email}.`,
    secondOn: "Se configuró un segundo factor.",
    secondOff: "Se desactivó el segundo factor.",
    passkey: "Se añadió una llave de acceso.",
    token: (name) => `Se creó el token «${name}», con el que un programa puede actuar como tú.`,
  },
};
