/** What the sample application says, in the languages of its guests. The desk and the office speak English alone. */
import type { Language } from "@lucchetto/contract/language";

const en = {
  language: "en" as Language,
  pages: "Pages",
  huts: "The huts",
  nights: "My nights",
  ledger: "Hut ledger",
  office: "The office",
  desk: "The desk",
  signIn: "Sign in",
  mailMeALink: "Mail me a link",
  register: "Register",
  signOut: "Sign out",
  guest: "guest",
  footer: "A made-up cooperative of five mountain huts; the sample application that stands behind Lucchetto.",
  messages: {
    "signed-out": "You are signed out.",
    welcome: "You are signed in.",
    invited: "The invitation is on its way.",
    suspended: "Suspended; every session of theirs has ended.",
    restored: "Restored; they can sign in again.",
    keeper: "Keeps a hut from now on.",
    "no-keeper": "Keeps no hut any more.",
  },
  fiveHuts: "Five huts above the lake",
  goodDay: (name: string) =>
    `Good day, <strong>${name}</strong>. These are the huts, and the bunks that are free tonight.`,
  hutColumns: ["Hut", "Height", "Free", "The way up"],
  /** Of huts, where not as the huts' list has it. */
  ways: {} as Readonly<Record<string, string>>,
  reserved: "Reserved in your name. This page is for members alone.",
  nightColumns: ["Hut", "Nights", "Bunk"],
  cancelAll: "Cancel all nights",
  asksForFreshProof: "asks for a proof of the last ten minutes",
  keyBox: "The key box",
  asksForSecondFactor: "asks for a second factor",
  tonight: "The ledger of tonight, for keepers.",
  ledgerColumns: ["Hut", "Taken", "Bunks"],
  closeSeason: "Close the season",
  asksForLevel2: "asks for a second factor or a passkey",
  onlyFresh:
    "This page opens only to whoever has shown a proof within the last ten minutes. Nothing is really cancelled here.",
  keyNumber:
    "The key of the winter room hangs in the box by the door. Its number is only for members who have shown a second factor or a passkey: 4 7 1.",
  onlyKeepers:
    "This page opens only to keepers who have shown a second factor or a passkey. Nothing is really closed here.",
};

export type Texts = typeof en;

const it: Texts = {
  language: "it",
  pages: "Pagine",
  huts: "I rifugi",
  nights: "Le mie notti",
  ledger: "Registro dei rifugi",
  office: "L’ufficio",
  desk: "Lo sportello",
  signIn: "Accedi",
  mailMeALink: "Accedi via e-mail",
  register: "Registrati",
  signOut: "Esci",
  guest: "ospite",
  footer: "Una cooperativa inventata di cinque rifugi; l’applicazione d’esempio che sta dietro Lucchetto.",
  messages: {
    "signed-out": "L’accesso è terminato.",
    welcome: "Hai effettuato l’accesso.",
    invited: "L’invito è in arrivo.",
    suspended: "Sospeso; tutte le sue sessioni sono terminate.",
    restored: "Riattivato; può di nuovo accedere.",
    keeper: "Da ora gestisce un rifugio.",
    "no-keeper": "Non gestisce più alcun rifugio.",
  },
  fiveHuts: "Cinque rifugi sopra il lago",
  goodDay: (name) =>
    `Buongiorno, <strong>${name}</strong>. Ecco i rifugi e i posti letto liberi per questa notte.`,
  hutColumns: ["Rifugio", "Quota", "Liberi", "La salita"],
  ways: {
    Brina: "due ore dal lago, nel bosco di larici",
    Larice: "tre ore, l’ultima lungo il torrente",
    Falco: "cinque ore, con una scala sotto la cresta",
    Nevaio: "sei ore sul vecchio nevaio",
    Sorgente: "un’ora, anche con il passeggino",
  },
  reserved: "Prenotate a tuo nome. Questa pagina è solo per i soci.",
  nightColumns: ["Rifugio", "Notti", "Posto"],
  cancelAll: "Annulla tutte le notti",
  asksForFreshProof: "chiede una prova degli ultimi dieci minuti",
  keyBox: "La cassetta della chiave",
  asksForSecondFactor: "chiede un secondo fattore",
  tonight: "Il registro di questa notte, per i gestori.",
  ledgerColumns: ["Rifugio", "Occupati", "Posti"],
  closeSeason: "Chiudi la stagione",
  asksForLevel2: "chiede un secondo fattore o una passkey",
  onlyFresh:
    "Questa pagina si apre solo a chi ha mostrato una prova negli ultimi dieci minuti. Qui non si annulla davvero nulla.",
  keyNumber:
    "La chiave del locale invernale è nella cassetta accanto alla porta. Il numero è solo per i soci che hanno mostrato un secondo fattore o una passkey: 4 7 1.",
  onlyKeepers:
    "Questa pagina si apre solo ai gestori che hanno mostrato un secondo fattore o una passkey. Qui non si chiude davvero nulla.",
};

export const TEXTS: Readonly<Record<Language, Texts>> = { en, it };
