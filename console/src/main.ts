import { mount } from "svelte";
import App from "./App.svelte";
import "./theme.css";

const target = document.getElementById("page");
if (target === null) throw new Error("the page has no place to draw in");
mount(App, { target });
