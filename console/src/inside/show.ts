/** Draws what is inside. */
import { mount, unmount } from "svelte";
import Inside from "./Inside.svelte";

/** @param closed is told when it was closed. */
export function show(target: HTMLElement, closed: () => void): void {
  const style = document.createElement("link");
  style.rel = "stylesheet";
  style.href = new URL("style.css", import.meta.url).href;
  document.head.append(style);
  style.addEventListener("load", () => {
    const drawer = mount(Inside, {
      target,
      props: {
        close: () => {
          void unmount(drawer);
          style.remove();
          closed();
        },
      },
    });
  });
}
