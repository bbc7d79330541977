import "./theme.css";
import { mount } from "svelte";
import App from "./App.svelte";
import { page } from "./lib/page.ts";
import { setTexts } from "./texts/texts.ts";

async function draw(): Promise<void> {
  const target = document.getElementById("page");
  if (target === null) throw new Error("the page has no place to draw in");
  // English comes with the page; another language in a file of its own.
  if (page.language === "it") setTexts((await import("./texts/it.ts")).it);
  target.replaceChildren();
  mount(App, { target });
}

void draw();
