/** Texts of what few people ever see, in both languages together, so that they weigh on no page that many see. */
import { page } from "../lib/page.ts";
import type { Value } from "./value.ts";

const en = {
  linkUndo: {
    for: "For {name}",
    takeTheAccountBack: "Take the account back",
    itsAddressBecomesAgain: (address: Value) =>
      `Its address becomes ${address} again, all sessions end, and the present password stops working.`,
    takeItBack: "Take it back",
    undoTheChange: "Undo the change of your second factor",
    theSecondFactorBecomes:
      "It becomes what it was before. All sessions end, and the present password stops working.",
    undoIt: "Undo it",
    keepTheAccount: "Keep your account?",
    everythingStays: "It will not be erased, and everything is as it was.",
    keepIt: "Keep my account",
    confirmTheAddress: "Confirm your address",
    itWasCorrected: "The people who run the site have corrected your account’s address to this one.",
    confirmIt: "Confirm it",
    oneThingBeside:
      "This browser was not used with the account before. So the mail alone is not enough: show one more thing that is yours.",
    oneMoment: "One moment …",
    youDidNotUse:
      "This browser was not used with the account before. So one thing from before the change is needed beside the mail.",
    formerPassword: "Your password from before the change",
    yourPassword: "Your password",
    enterFormerPassword: "Enter the password that you had before the change.",
    codeOfApp: "Code of your authenticator app",
    recoveryCode: "Recovery code",
    enterTheCode: "Enter the code.",
    instead: {
      password: "Use the password from before",
      passkey: "Use a passkey from before",
      totp: "Use the authenticator app from before",
      "recovery-code": "Use a recovery code from before",
    },
  },
  linkUndone: {
    factor: "Your second factor is what it was",
    factorNext: "All sessions are ended, and the old password no longer works.",
    erasing: "Your account stays",
    erasingNext: "It will not be erased. Sessions and access keys are gone; everything else is as it was.",
    signIn: "Sign in",
  },
  enrolStep: {
    protectYourAccount: "Protect your account",
    yourAccountMustHave: "Your account needs a second factor. Set one up to go on.",
    itIsOn: "Your account is protected",
    keepTheseCodes: "Keep these codes for the day on which you lose your device.",
  },
  furtherStep: {
    checkYourMail: "Check your mail",
    oneMoreThing: "The password is right. We have sent you a mail to be sure that it is you.",
    openTheLink: (life: Value) =>
      `Open its link in this browser and you are signed in. Opened elsewhere, on your phone say, it shows a code: type it here. It works for ${life}, and once.`,
    andYourPassword: "Your password, too",
    besideTheMail: "The mail shows that the address is yours. This time the password is needed as well.",
  },
  erase: {
    yourAccountIsClosed: "Your account is closed",
    itsRowsGo: (after: Value) =>
      `Everything of it will be erased in ${after}. Until then the link in the mail that we have sent you keeps the account.`,
    everythingOf: (after: Value) =>
      `The account {name} is closed at once, and you are signed out everywhere. In ${after} everything of it is erased. Until then a link in a mail to you keeps it.`,
    everythingOfAtOnce:
      "Everything of {name} is erased at once, and you are signed out everywhere. This cannot be taken back.",
  },
};

const it: typeof en = {
  linkUndo: {
    for: "Per {name}",
    takeTheAccountBack: "Riprenditi l’account",
    itsAddressBecomesAgain: (address) =>
      `Il suo indirizzo torna a essere ${address}, tutte le sessioni finiscono e la password attuale non vale più.`,
    takeItBack: "Riprendilo",
    undoTheChange: "Annulla la modifica del secondo fattore",
    theSecondFactorBecomes:
      "Torna com’era prima. Tutte le sessioni finiscono e la password attuale non vale più.",
    undoIt: "Annulla la modifica",
    keepTheAccount: "Vuoi tenere l’account?",
    everythingStays: "Non sarà cancellato e tutto rimane come prima.",
    keepIt: "Tieni il mio account",
    confirmTheAddress: "Conferma il tuo indirizzo",
    itWasCorrected: "Chi gestisce il sito ha corretto così l’indirizzo del tuo account.",
    confirmIt: "Conferma",
    oneThingBeside:
      "Con questo browser l’account non era mai stato usato. Perciò l’e-mail da sola non basta: serve un’altra cosa tua.",
    oneMoment: "Un momento …",
    youDidNotUse:
      "Con questo browser l’account non era mai stato usato. Perciò, oltre all’e-mail, serve una cosa di prima della modifica.",
    formerPassword: "La tua password di prima della modifica",
    yourPassword: "La tua password",
    enterFormerPassword: "Inserisci la password che avevi prima della modifica.",
    codeOfApp: "Codice dell’app di autenticazione",
    recoveryCode: "Codice di recupero",
    enterTheCode: "Inserisci il codice.",
    instead: {
      password: "Usa la password di prima",
      passkey: "Usa una passkey di prima",
      totp: "Usa l’app di autenticazione di prima",
      "recovery-code": "Usa un codice di recupero di prima",
    },
  },
  linkUndone: {
    factor: "Il tuo secondo fattore è di nuovo quello di prima",
    factorNext: "Tutte le sessioni sono finite e la vecchia password non vale più.",
    erasing: "Il tuo account rimane",
    erasingNext:
      "Non sarà cancellato. Le sessioni e le chiavi di accesso non ci sono più; tutto il resto è come prima.",
    signIn: "Accedi",
  },
  enrolStep: {
    protectYourAccount: "Proteggi il tuo account",
    yourAccountMustHave: "Il tuo account richiede un secondo fattore. Configurane uno per proseguire.",
    itIsOn: "Il tuo account è protetto",
    keepTheseCodes: "Conserva questi codici per il giorno in cui perdessi il dispositivo.",
  },
  furtherStep: {
    checkYourMail: "Controlla la posta",
    oneMoreThing: "La password è giusta. Ti abbiamo mandato un’e-mail per essere sicuri che sia tu.",
    openTheLink: (life) =>
      `Apri il link in questo browser e sei dentro. Aperto altrove, per esempio sul telefono, mostra un codice: scrivilo qui. Vale per ${life} e una volta sola.`,
    andYourPassword: "Anche la password",
    besideTheMail: "L’e-mail mostra che l’indirizzo è tuo. Questa volta serve anche la password.",
  },
  erase: {
    yourAccountIsClosed: "Il tuo account è chiuso",
    itsRowsGo: (after) =>
      `Tra ${after} sarà cancellato tutto. Fino ad allora il link nell’e-mail che ti abbiamo mandato lo conserva.`,
    everythingOf: (after) =>
      `L’account {name} viene chiuso subito e la tua sessione finisce ovunque. Tra ${after} sarà cancellato tutto. Fino ad allora un link in un’e-mail per te lo conserva.`,
    everythingOfAtOnce:
      "Tutto ciò che riguarda {name} viene cancellato subito e la tua sessione finisce ovunque. Non si può tornare indietro.",
  },
};

export const rareTexts = page.language === "it" ? it : en;
