/** The walk through every application that makes mistakes. */
import { test } from "@jest/globals";
import { expectFound, FOUND } from "./found-faults.ts";

test.each(FOUND)("finds %s by the right step, and nothing else", expectFound);
