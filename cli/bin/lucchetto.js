#!/usr/bin/env node
import { fileURLToPath } from "node:url";
import { load } from "../dist/start.cjs";

load(fileURLToPath(new URL("../dist/main.cjs", import.meta.url)));
