import type { MailName } from "../catalogue.ts";

/** Where and when something was done in a session. */
const DETAILS = `- Quando: {{when}}
- Da: {{network}}
- Browser: {{browser}}`;

const ONE_THING_FROM_BEFORE =
  "In un browser che non hai mai usato chiede anche una cosa di prima: la tua password, una passkey, un codice dell'app di autenticazione o un codice di recupero.";

/** The end of every notice of a change that a link undoes. */
const FACTOR_CHANGED = `${DETAILS}

Se eri tu, non devi fare nulla. Se non eri tu, annulla la modifica: tutte le sessioni finiscono, la password attuale non vale più e il secondo fattore torna com'era.

[Non ero io]({{link}})

Questo collegamento vale una sola volta, per {{life}}. ${ONE_THING_FROM_BEFORE}
`;

export const ITALIAN: Readonly<Record<MailName, string>> = {
  verify: `Subject: Conferma il tuo indirizzo per {{site}}

Benvenuto. Un clic dimostra che questo indirizzo è tuo.

[Conferma il mio indirizzo]({{link}})

Il collegamento vale una sola volta, per {{life}}. Aprilo nel browser in cui ti sei registrato; in un altro ti sarà chiesta la password.

Se non ti sei registrato tu, non fare nulla: senza quel clic non succede niente.
`,
  "already-registered": `Subject: Hai già un account su {{site}}

Qualcuno, forse tu, ha provato a registrarsi con questo indirizzo. Ha già un account, perciò non è cambiato nulla.

[Accedi]({{link}})

Se hai dimenticato la password, chiedine una nuova in quella pagina. Se non eri tu, non devi fare nulla.

- Quando: {{when}}
- Da: {{network}}
`,
  reset: `Subject: Scegli una nuova password per {{site}}

Qualcuno, speriamo tu, ha chiesto una nuova password per il tuo account.

[Scegli una nuova password]({{link}})

Il collegamento vale una sola volta, per {{life}}. A chi lo apre viene chiesta una nuova password; prima non succede nulla.

Se non eri tu, non fare nulla: la tua password resta com'è.
`,
  "sign-in": `Subject: Accedi a {{site}}

Hai chiesto di accedere senza password.

[Accedi]({{link}})

Il collegamento vale una sola volta, per {{life}}. Nel browser in cui l'hai chiesto ti fa accedere. In ogni altro mostra un breve codice, da scrivere dove l'hai chiesto.

- Chiesto in: {{browser}}
- Da: {{network}}

Se non eri tu, non fare nulla e non dire il codice a nessuno.
`,
  invite: `Subject: Sei invitato su {{site}}

Le persone di {{site}} hanno preparato un account per te. Comincia con il tuo clic.

[Accetta l'invito]({{link}})

Il collegamento vale una sola volta, per {{life}}. Se non vuoi un account, non fare nulla.
`,
  "change-email": `Subject: Conferma il tuo nuovo indirizzo per {{site}}

Conferma {{address}} come nuovo indirizzo dell'account {{account}} su {{site}}.

[Conferma questo indirizzo]({{link}})

Il collegamento vale una sola volta, per {{life}}, nel browser che l'ha chiesto; altrove mostra un codice da inserire là. Fino ad allora non cambia nulla.

Se non conosci questo account, non fare nulla e non dare il codice a nessuno: il tuo indirizzo non viene usato.
`,
  "email-changed": `Subject: Il tuo account ha un altro indirizzo

D'ora in poi la posta del tuo account su {{site}} va a {{address}}.

- Quando: {{when}}
- Da: {{network}}

Se eri tu, non devi fare nulla. Se non eri tu, riprenditi l'account: torna il vecchio indirizzo, tutte le sessioni finiscono e scegli una nuova password.

[Non ero io]({{link}})

Questo collegamento vale una sola volta, per {{life}}.
`,
  "username-changed": `Subject: Il tuo nome utente è stato cambiato

Il tuo account su {{site}} non si chiama più {{username}}.

${DETAILS}

Se eri tu, non devi fare nulla. Se non eri tu, riprenditi l'account: torna il vecchio nome, tutte le sessioni finiscono e scegli una nuova password. Fino ad allora nessun altro può prendere il nome.

[Non ero io]({{link}})

Questo collegamento vale una sola volta, per {{life}}.
`,
  "email-restored": `Subject: Il tuo account è di nuovo come prima

La modifica del tuo account su {{site}} è stata annullata: indirizzo e nome utente sono di nuovo quelli di prima. Tutte le sessioni sono finite.

- Quando: {{when}}
- Da: {{network}}
`,
  "password-changed": `Subject: La tua password è stata cambiata

La password del tuo account su {{site}} è stata cambiata in una tua sessione. Tutte le altre sessioni sono finite.

${DETAILS}

Se non eri tu, chiedi subito una nuova password.

[Scegli una nuova password]({{link}})
`,
  "password-removed": `Subject: La tua password è stata rimossa

La password del tuo account su {{site}} è stata rimossa. D'ora in poi accedi con una passkey o per e-mail. Tutte le altre sessioni sono finite.

${DETAILS}

Se non eri tu, chiedi subito una nuova password.

[Scegli una nuova password]({{link}})
`,
  "password-reset": `Subject: La tua password è stata cambiata

La password del tuo account su {{site}} è stata reimpostata con un collegamento ricevuto per posta. Tutte le sessioni sono finite.

- Quando: {{when}}
- Da: {{network}}

Se non eri tu, qualcuno legge la tua posta: cambia prima la sua password, poi chiedine una nuova qui.

[Scegli una nuova password]({{link}})
`,
  "new-sign-in": `Subject: Nuovo accesso a {{site}}

Qualcuno è entrato nel tuo account da un browser che non avevamo ancora visto.

${DETAILS}

Se eri tu, non devi fare nulla. Se non eri tu, scegli una nuova password: così finiscono tutte le sessioni.

[Scegli una nuova password]({{link}})
`,
  "access-key-made": `Subject: Una nuova chiave di accesso per il tuo account su {{site}}

In una tua sessione è stata creata una chiave di accesso. Gli script che la possiedono possono usare le applicazioni del sito a tuo nome.

${DETAILS}

Se non eri tu, scegli una nuova password per posta: così finiscono tutte le sessioni e si cancellano tutte le chiavi di accesso.

[Scegli una nuova password]({{link}})
`,
  "second-factor-added": `Subject: Un'app di autenticazione per il tuo account su {{site}}

È stata configurata un'app di autenticazione. D'ora in poi a ogni accesso viene chiesto uno dei suoi codici.

${FACTOR_CHANGED}`,
  "second-factor-removed": `Subject: Un'app di autenticazione è stata tolta dal tuo account su {{site}}

Un'app di autenticazione è stata tolta dal tuo account. I suoi codici non sono più accettati.

${FACTOR_CHANGED}`,
  "passkey-added": `Subject: Una passkey per il tuo account su {{site}}

Al tuo account è stata aggiunta una passkey. Apre l'account, da sola o insieme alla password.

${FACTOR_CHANGED}`,
  "passkey-removed": `Subject: Una passkey è stata tolta dal tuo account su {{site}}

Una passkey è stata tolta dal tuo account. Non è più accettata.

${FACTOR_CHANGED}`,
  "recovery-codes-made": `Subject: Nuovi codici di recupero per il tuo account su {{site}}

È stata creata una nuova serie di codici di recupero. Quelli vecchi non valgono più.

${FACTOR_CHANGED}`,
  "recovery-code-used": `Subject: Un codice di recupero è stato usato su {{site}}

Uno dei tuoi codici di recupero è stato usato per accedere o per confermare una modifica.

- Codici rimasti: {{left}}
${DETAILS}

Se non eri tu, scegli subito una nuova password per posta: così finiscono tutte le sessioni. Poi controlla il secondo fattore del tuo account.

[Scegli una nuova password]({{link}})
`,
  "invitation-accepted": `Subject: Il tuo account su {{site}} è pronto

L'invito su {{site}} è stato accettato e il tuo indirizzo è confermato.

- Quando: {{when}}
- Da: {{network}}

Se non eri tu, rivolgiti alle persone che gestiscono il sito.
`,
  "confirm-sign-in": `Subject: Stai accedendo a {{site}}?

Qualcuno ha inserito la tua password e aspetta di entrare. Prima ci serve una tua conferma.

[Sì, sono io]({{link}})

Il collegamento vale una sola volta, per {{life}}. Nel browser in cui stai accedendo ti fa entrare. In qualsiasi altro mostra un breve codice, da scrivere lì.

- Browser: {{browser}}
- Da: {{network}}

Se non sei tu, non fare nulla e non dire il codice a nessuno. Qualcuno conosce la tua password: scegline una nuova su {{site}}.
`,
  "second-factor-restored": `Subject: Il tuo secondo fattore su {{site}} è di nuovo quello di prima

La modifica del secondo fattore del tuo account è stata annullata. Tutte le sessioni sono finite e la vecchia password non vale più.

- Quando: {{when}}
- Da: {{network}}
`,
  "account-closed": `Subject: Il tuo account su {{site}} sarà cancellato

Il tuo account è stato chiuso, come richiesto in una tua sessione. Tutto ciò che ne è conservato sarà cancellato tra {{life}}.

${DETAILS}

Se è quello che vuoi, non devi fare nulla. Se non eri tu, o hai cambiato idea, tieni l'account.

[Tieni il mio account]({{link}})

Questo collegamento vale una sola volta, finché l'account non è cancellato. ${ONE_THING_FROM_BEFORE}
`,
  "account-reopened": `Subject: Il tuo account su {{site}} rimane

Il tuo account non sarà cancellato. Tutto è come prima; solo le sessioni e le chiavi di accesso non ci sono più.

- Quando: {{when}}
- Da: {{network}}
`,
  "first-password-given": `Subject: Una prima password per il tuo account su {{site}}

Chi gestisce {{site}} ha dato al tuo account una nuova prima password, perché qualcuno l'ha chiesta. Apre l'account una volta sola; poi scegli la tua.

- Quando: {{when}}

Se non l'hai chiesta tu, avvisa subito chi gestisce il sito.
`,
  "new-password-wanted": `Subject: Serve una nuova password su {{site}}

Chi gestisce {{site}} chiede che tu scelga una nuova password al prossimo accesso. Tutte le sessioni e le chiavi del tuo account sono finite.

- Quando: {{when}}
`,
  "set-up-removed": `Subject: Ciò che era impostato prima che confermassi l'indirizzo

Questo indirizzo è ora confermato su {{site}}. Ciò che qualcuno aveva impostato prima nell'account è stato tolto, perché allora nessuno aveva confermato che l'account fosse suo.

- Quando: {{when}}
- Da: {{network}}

Se l'avevi impostato tu, accedi e impostalo di nuovo nella pagina del tuo account.
`,
  "operators-told": `Subject: {{site}}: {{what}}

{{what}}.

- Account: {{account}}
- Da parte di: {{by}}
- Motivo: {{reason}}
- Quando: {{when}}
- Da: {{network}}

Ricevi questo messaggio perché gestisci {{site}}. Se non doveva succedere, guarda il registro e parlane con gli altri.
`,
  "unproved-change": `Subject: È cambiato qualcosa su {{site}}

È cambiato qualcosa in un account su {{site}} registrato con questo indirizzo, che nessuno ha ancora confermato; se non è tuo, ignora questa e-mail.
`,
  "email-corrected": `Subject: Conferma il tuo indirizzo per {{site}}

Chi gestisce {{site}} ha cambiato l'indirizzo del tuo account in questo, perché qualcuno ha detto che quello vecchio non era più raggiungibile.

[Conferma questo indirizzo]({{link}})

Il collegamento vale una sola volta, per {{life}}. In un browser che non hai mai usato chiede anche un'altra cosa tua: la password, una passkey, un codice dell'app di autenticazione o un codice di recupero.

Se non conosci questo account, non fare nulla: l'e-mail da sola non apre nulla.
`,
};
