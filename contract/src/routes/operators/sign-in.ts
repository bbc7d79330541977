import { defineRoute } from "../../route.ts";
import { signInFigures } from "../../shapes/operators.ts";

export const showSignInFigures = defineRoute({
  name: "showSignInFigures",
  method: "GET",
  path: "/v1/operator/sign-ins",
  summary:
    "How people sign in, day by day; how many have a second factor, and who must have one and has none",
  access: "operator",
  replies: { 200: signInFigures },
});
