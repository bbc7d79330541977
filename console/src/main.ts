import "./theme.css";
import { mount } from "svelte";
import App from "./App.svelte";

const target = document.getElementById("page");
if (target === null) throw new Error("the page has no place to draw in");
mount(App, { target });
