/**
 * Parts of pages that are loaded when they are come to: most people never do. Named here, because the router takes every page whose
 * code holds an `import()` for one that is itself to be loaded.
 */
export const later = {
  checkMail: () => import("../people/CheckMail.svelte"),
  mailStep: () => import("../people/MailStep.svelte"),
  nextStep: () => import("../people/NextStep.svelte"),
  problemPage: () => import("../people/ProblemPage.svelte"),
};
