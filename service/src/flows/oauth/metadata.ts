/** The metadata document (RFC 8414; RP-Initiated Logout 1.0, section 2.1): what is named here answers as named. */
import type { Metadata } from "@lucchetto/contract";
import { OAUTH_PATHS } from "@lucchetto/contract";
import { PROMPTS } from "./authorize.ts";
import { LEVELS } from "./step-up.ts";

const APP_AUTHENTICATION = ["client_secret_basic", "client_secret_post"];

/** @param publicUrl becomes the issuer as it is, with a path too. */
export function describeServer(publicUrl: string): Metadata {
  return {
    issuer: publicUrl,
    authorization_endpoint: publicUrl + OAUTH_PATHS.authorize,
    token_endpoint: publicUrl + OAUTH_PATHS.token,
    introspection_endpoint: publicUrl + OAUTH_PATHS.introspect,
    revocation_endpoint: publicUrl + OAUTH_PATHS.revoke,
    end_session_endpoint: publicUrl + OAUTH_PATHS.endSession,
    response_types_supported: ["code"],
    response_modes_supported: ["query"],
    grant_types_supported: ["authorization_code"],
    code_challenge_methods_supported: ["S256"],
    token_endpoint_auth_methods_supported: APP_AUTHENTICATION,
    introspection_endpoint_auth_methods_supported: APP_AUTHENTICATION,
    revocation_endpoint_auth_methods_supported: APP_AUTHENTICATION,
    prompt_values_supported: [...PROMPTS],
    // Nobody can reach aal2 before there are second factors.
    acr_values_supported: [...LEVELS],
    authorization_response_iss_parameter_supported: true,
    service_documentation: `${publicUrl}/docs`,
  };
}
