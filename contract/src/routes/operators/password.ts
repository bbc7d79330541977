import { defineRoute } from "../../route.ts";
import { hashFleet } from "../../shapes/operators.ts";

export const showHashFleet = defineRoute({
  name: "showHashFleet",
  method: "GET",
  path: "/v1/operator/hash-fleet",
  summary: "How many password records there are of which scheme, now and day by day",
  access: "operator",
  replies: { 200: hashFleet },
});
