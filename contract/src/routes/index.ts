/** Every call of the contract that is ours, by whom it is for; the standards' endpoints are in ../oauth.ts. */
import { appRoutes } from "./apps/index.ts";
import { developmentRoutes } from "./development/index.ts";
import { operatorRoutes } from "./operators/index.ts";
import { peopleRoutes } from "./people/index.ts";

/** Every call under `/v1`, by name. */
export const routes = { ...peopleRoutes, ...appRoutes, ...operatorRoutes, ...developmentRoutes } as const;
