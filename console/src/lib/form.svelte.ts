/** A form being sent: its errors stand at their fields, and the first wrong field gets the focus. */
import { ProblemError } from "@lucchetto/contract/pages";
import { tick } from "svelte";
import { texts } from "../texts/texts.ts";
import { faultSentence, problemSentence, sentenceOf } from "./sentence.ts";
import { session } from "./session.svelte.ts";

export class Form {
  /** Sentences by field name. */
  errors: Record<string, string> = $state({});
  /** A sentence about the form as a whole. */
  problem: string | null = $state(null);
  sending = $state(false);

  /**
   * Sends, unless `judge` finds fault with what was typed.
   * @param send what to do; a ProblemError becomes sentences at the fields or above the form.
   */
  async submit(
    event: SubmitEvent,
    judge: () => Record<string, string>,
    send: () => Promise<void>,
  ): Promise<void> {
    event.preventDefault();
    await this.attempt(event.currentTarget as HTMLFormElement, judge, send);
  }

  /** As `submit`, for a button inside the form that sends it in a way of its own. */
  async attempt(
    form: HTMLFormElement,
    judge: () => Record<string, string>,
    send: () => Promise<void>,
  ): Promise<void> {
    if (this.sending) return;
    this.problem = null;
    this.errors = judge();
    const isWrong = Object.keys(this.errors).length > 0;
    sayInTitle(isWrong);
    if (isWrong) return focusFirstWrong(form);
    this.sending = true;
    try {
      await send();
    } catch (error) {
      this.take(error);
      sayInTitle(true);
      await focusFirstWrong(form);
    } finally {
      this.sending = false;
    }
  }

  /** Says what went wrong, at the fields or above the form. */
  take(error: unknown): void {
    if (!(error instanceof ProblemError)) {
      this.problem = sentenceOf(error);
      return;
    }
    const { errors = [], code } = error.problem;
    // The page says so, and keeps what was typed.
    if (code === "not-signed-in" && session.who.state === "signed-in") void session.ask();
    for (const fault of errors) {
      // Of the whole, and of no field.
      if (fault.path === "") this.problem = faultSentence(fault);
      else this.errors[fieldOf(fault.path)] = faultSentence(fault);
    }
    if (errors.length === 0) this.problem = problemSentence(error.problem);
  }
}

/** The field that a path leads to: `proof.password` to `password`, `labels.0` to `labels`. */
function fieldOf(path: string): string {
  return (
    path
      .split(".")
      .filter((part) => !/^\d+$/.test(part))
      .at(-1) ?? path
  );
}

/** Who listens to a page hears its title first. */
function sayInTitle(isWrong: boolean): void {
  const { inTitle } = texts.faults;
  const title = document.title.startsWith(inTitle) ? document.title.slice(inTitle.length) : document.title;
  document.title = isWrong ? inTitle + title : title;
}

async function focusFirstWrong(form: HTMLFormElement): Promise<void> {
  await tick();
  const wrong = form.querySelector<HTMLElement>('[aria-invalid="true"], [data-form-problem]');
  wrong?.focus();
}
