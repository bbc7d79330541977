/** What the hasp's own small pages say to people. What programs and developers read is in English. */
import type { Language } from "@lucchetto/contract/language";
import { languageAskedFor } from "@lucchetto/contract/language";
import type { IncomingRequest } from "./incoming-request.ts";

const en = {
  language: "en" as Language,
  signIn: "Sign in",
  toTheStart: "Back to the start page",
  signInFirst: {
    title: "This page is for people who are signed in",
    text: "Open it again to give your name and password, or sign in on a page.",
  },
  signedOutMeanwhile: {
    title: "You’re no longer signed in",
    text: "What you sent was not saved. Sign in, then send it again.",
  },
  withoutLabel: {
    title: "This page is not for you",
    or: "” or “",
    and: "” and “",
    text: (label: string) => `It is for people with the label “${label}”, which your account does not have.`,
  },
  withoutSecondFactor: {
    title: "This page requires a second factor",
    text: "Your account has none yet. Add one; afterwards you can continue here.",
    add: "Add a second factor",
  },
  beginAgain: {
    title: "Please sign in again",
    text: (why: string) => `${why} Please try again.`,
    notFromHere: "This sign-in did not start in this browser, or it took too long.",
    unexpectedService: "The answer did not come from the expected service.",
    notCompleted: (reason: string) => `The sign-in was not completed: ${reason}`,
    tooLate: "The sign-in took too long, or its answer was already used.",
  },
  signOutByLink: {
    title: "Use the sign-out button",
    text: "Opening a link does not sign you out. Go back and press the button.",
  },
  unreachable: {
    title: "One moment, please",
    text: "We can’t check who you are right now. Please try again in a moment.",
  },
  notSetUp: {
    title: "Signing in is not set up here",
    text: "Nothing is wrong with your account. Whoever runs this site has to finish setting it up.",
  },
};

/** Every text of the pages. */
export type Texts = typeof en;

const it: Texts = {
  language: "it",
  signIn: "Accedi",
  toTheStart: "Torna alla pagina iniziale",
  signInFirst: {
    title: "Questa pagina è per chi ha effettuato l’accesso",
    text: "Riaprila per indicare nome e password, oppure accedi da una pagina.",
  },
  signedOutMeanwhile: {
    title: "La sessione è terminata",
    text: "Quello che hai inviato non è stato salvato. Accedi e invialo di nuovo.",
  },
  withoutLabel: {
    title: "Questa pagina non è per te",
    or: "” o “",
    and: "” e “",
    text: (label) => `È riservata a chi ha l’etichetta “${label}”, e il tuo account non ce l’ha.`,
  },
  withoutSecondFactor: {
    title: "Questa pagina richiede un secondo fattore",
    text: "Il tuo account non ne ha ancora uno. Aggiungilo: poi puoi continuare qui.",
    add: "Aggiungi un secondo fattore",
  },
  beginAgain: {
    title: "Accedi di nuovo",
    text: (why) => `${why} Riprova.`,
    notFromHere: "Questo accesso non è iniziato in questo browser, oppure è passato troppo tempo.",
    unexpectedService: "La risposta non viene dal servizio previsto.",
    notCompleted: (reason) => `L’accesso non è stato completato: ${reason}`,
    tooLate: "È passato troppo tempo, oppure la risposta è già stata usata.",
  },
  signOutByLink: {
    title: "Usa il pulsante per uscire",
    text: "Aprire un link non basta per uscire. Torna indietro e premi il pulsante.",
  },
  unreachable: {
    title: "Un momento",
    text: "In questo momento non possiamo verificare chi sei. Riprova tra poco.",
  },
  notSetUp: {
    title: "Qui l’accesso non è ancora configurato",
    text: "Il tuo account è a posto. Chi gestisce questo sito deve completare la configurazione.",
  },
};

const TEXTS: Record<Language, Texts> = { en, it };

/** The texts in the language that a browser asks for, else in `otherwise`. */
export function textsFor({ headers }: IncomingRequest, otherwise: Language): Texts {
  return TEXTS[languageAskedFor(headers["accept-language"]) ?? otherwise];
}
