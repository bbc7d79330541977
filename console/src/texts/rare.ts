/** Texts of what few people ever see, in both languages together, so that they weigh on no page that many see. */
import { page } from "../lib/page.ts";
import type { Value } from "./value.ts";

const en = {
  accessKeys: {
    inDays: (count: number) => `in ${count} days`,
    keysForYourScripts: "Keys for your scripts",
    aScriptThatSendsOne: "A script that sends one of these keys acts as you in the site’s applications.",
    wasCreated: (name: Value) => `“${name}” was created`,
    copyTheKeyNowYou: "Copy the key now. You will not see it again.",
    copied: "Copied ✓",
    copyTheKey: "Copy the key",
    aScriptSendsItIn: "A script sends it in a header:",
    whatItIsFor: "What it is for",
    suchAsBackupOnThe: "Such as “backup on the office machine”.",
    expires: "Expires",
    labels: "Labels",
    allMyLabels: (labels: Value) => `all my labels (${labels})`,
    onlyThese: "only these:",
    createKey: "Create key",
    creating: "Creating …",
    yourKeys: "Your keys",
    youHaveNoKeysYet: "You have no keys yet.",
    created: "created {when}",
    neverUsed: "never used",
    lastUsed: "last used {when}",
    neverExpires: "never expires",
    ends: "expires {when}",
    carries: (labels: readonly string[]) =>
      labels.length === 0 ? "no labels" : `labels: ${labels.join(", ")}`,
    deleteNamed: (name: Value) => `Delete ${name}`,
    delete: "Delete",
    yourAccount: "Your account",
    yourKeysCannotBeShown: "Your keys cannot be shown right now.",
    inAYear: "in a year",
    never: "never",
    sayWhatTheKeyIs: "Say what the key is for.",
    wasDeleted: (name: Value) => `“${name}” was deleted and no longer works.`,
  },
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
  passkeys: {
    passkeys: "Passkeys",
    aPasskeyIs:
      "A passkey is kept by your device or your password manager. It signs you in with a fingerprint, your face or a PIN, and no false page can get at it.",
    thereIsNoneYet: "You have no passkey yet.",
    addAPasskey: "Add a passkey",
    addAnother: "Add another passkey",
    thisBrowserKnowsNone: "This browser cannot use passkeys. Open this page in another one.",
    kinds: {
      synced: "synced",
      "this-device": "in a device",
      phone: "on a phone",
      "security-key": "security key",
    },
    backedUp: "backed up",
    onThisDeviceOnly: "no backup",
    added: "added {when}",
    isAdded: (name: Value) => `“${name}” is added. You can sign in with it from now on.`,
    isRemoved: (name: Value) => `“${name}” is removed. It no longer opens your account.`,
    removeIt: (name: Value) => `Remove “${name}”?`,
    afterwardsItOpensNothing:
      "It will no longer open your account. Delete it in your device or password manager as well.",
    keepIt: "Keep it",
    ifYouLoseThem: "If you lose your devices, these let you in:",
    registerWithAPasskey: "Register with a passkey instead",
    yourAccountIsReady: "Your account is ready",
    youSignInWithYourPasskey: "You sign in with your passkey. Keep these codes for the day it is lost.",
    withoutAPassword: "Do without a password",
    whatIsNotThere:
      "What does not exist cannot be guessed or stolen. You can set a password again at any time.",
    removeMyPassword: "Remove my password",
    removeYourPassword: "Remove your password?",
    afterwardsWithoutIt: "You will sign in with a passkey or by mail. All your other sessions end.",
    thePasswordIsRemoved: "Your password is removed. You sign in with a passkey or by mail from now on.",
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
  accessKeys: {
    inDays: (count: number) => `tra ${count} giorni`,
    keysForYourScripts: "Chiavi per i tuoi script",
    aScriptThatSendsOne: "Le applicazioni del sito trattano come te uno script che ne usa una.",
    wasCreated: (name: Value) => `«${name}» è pronta`,
    copyTheKeyNowYou: "Copia la chiave adesso: la vedi solo questa volta.",
    copied: "Copiata ✓",
    copyTheKey: "Copia la chiave",
    aScriptSendsItIn: "Lo script la invia in un’intestazione:",
    whatItIsFor: "A che cosa serve",
    suchAsBackupOnThe: "Per esempio «copia di sicurezza sul computer dell’ufficio».",
    expires: "Scade",
    labels: "Porta",
    allMyLabels: (labels: Value) => `tutte le mie etichette (${labels})`,
    onlyThese: "solo queste:",
    createKey: "Crea una chiave",
    creating: "Creazione in corso …",
    yourKeys: "Le tue chiavi",
    youHaveNoKeysYet: "Non ce ne sono ancora.",
    created: "creata {when}",
    neverUsed: "mai usata",
    lastUsed: "usata l’ultima volta {when}",
    neverExpires: "non scade",
    ends: "scade {when}",
    carries: (labels: readonly string[]) =>
      labels.length === 0 ? "senza etichette" : `al massimo con ${labels.join(", ")}`,
    deleteNamed: (name: Value) => `Elimina ${name}`,
    delete: "Elimina",
    yourAccount: "Il tuo account",
    yourKeysCannotBeShown: "Al momento non è disponibile.",
    inAYear: "tra un anno",
    never: "mai da sola",
    sayWhatTheKeyIs: "Scrivi a che cosa serve la chiave.",
    wasDeleted: (name: Value) => `«${name}» è stata eliminata: da ora viene rifiutata.`,
  },
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
  passkeys: {
    passkeys: "Passkey",
    aPasskeyIs:
      "Una passkey sta nel tuo dispositivo o nel gestore di password. Ti fa accedere con l’impronta, il volto o un PIN, e nessuna pagina falsa può rubarla.",
    thereIsNoneYet: "Non hai ancora passkey.",
    addAPasskey: "Aggiungi una passkey",
    addAnother: "Aggiungi un’altra passkey",
    thisBrowserKnowsNone: "Questo browser non può usare le passkey. Apri la pagina in un altro.",
    kinds: {
      synced: "sincronizzata",
      "this-device": "in un dispositivo",
      phone: "su un telefono",
      "security-key": "chiave di sicurezza",
    },
    backedUp: "con copia di riserva",
    onThisDeviceOnly: "senza copia di riserva",
    added: "aggiunta {when}",
    isAdded: (name: Value) => `«${name}» è stata aggiunta. D’ora in poi puoi usarla per accedere.`,
    isRemoved: (name: Value) => `«${name}» è stata rimossa. Non apre più il tuo account.`,
    removeIt: (name: Value) => `Rimuovere «${name}»?`,
    afterwardsItOpensNothing:
      "Non aprirà più il tuo account. Eliminala anche dal dispositivo o dal gestore di password.",
    keepIt: "Non rimuovere",
    ifYouLoseThem: "Se perdi i tuoi dispositivi, accedi con questi:",
    registerWithAPasskey: "Registrati invece con una passkey",
    yourAccountIsReady: "Il tuo account è pronto",
    youSignInWithYourPasskey:
      "Accedi con la tua passkey. Conserva questi codici per il giorno in cui la perdessi.",
    withoutAPassword: "Fare a meno della password",
    whatIsNotThere:
      "Ciò che non esiste non si può indovinare né rubare. Puoi impostare di nuovo una password quando vuoi.",
    removeMyPassword: "Rimuovi la mia password",
    removeYourPassword: "Rimuovere la tua password?",
    afterwardsWithoutIt: "Accederai con una passkey o per e-mail. Tutte le altre tue sessioni finiscono.",
    thePasswordIsRemoved:
      "La tua password è stata rimossa. D’ora in poi accedi con una passkey o per e-mail.",
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
