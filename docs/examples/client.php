<?php
/*
 * A web application that signs people in by OAuth 2.0, written from the RFCs alone, with nothing but PHP itself.
 *
 *     ISSUER=http://localhost:8420 CLIENT_ID=… CLIENT_SECRET=… PORT=8501 php -S 127.0.0.1:8501 client.php
 *
 * Registered: --redirect-uri http://localhost:PORT/back --signed-out-uri http://localhost:PORT/. Standards: RFC 8414
 * (metadata), RFC 6749 section 4.1 (authorization code), RFC 7636 (PKCE), RFC 9207 (iss), RFC 7662 (introspection),
 * RFC 7009 (revocation), OpenID Connect RP-Initiated Logout 1.0 (signing out).
 */
declare(strict_types=1);

$issuer = getenv('ISSUER');
$clientId = getenv('CLIENT_ID');
$clientSecret = getenv('CLIENT_SECRET');
$port = getenv('PORT');
$returnAddress = "http://localhost:$port/back";
$signedOutAddress = "http://localhost:$port/";

function base64url(string $bytes): string
{
    return rtrim(strtr(base64_encode($bytes), '+/', '-_'), '=');
}

/** Asks an address. @return array{int, array<string, mixed>} status and the decoded JSON */
function ask(string $address, array $options = []): array
{
    $context = stream_context_create(['http' => $options + ['timeout' => 5, 'ignore_errors' => true, 'follow_location' => 0]]);
    $text = @file_get_contents($address, false, $context);
    if ($text === false) {
        return [0, []];
    }
    preg_match('/ (\d{3})/', $http_response_header[0], $match);
    return [(int) $match[1], json_decode($text, true) ?? []];
}

/** RFC 8414 section 3: the well-known part stands between the host and the issuer's path. */
function metadata(string $issuer): array
{
    $parts = parse_url($issuer);
    $host = $parts['scheme'] . '://' . $parts['host'] . (isset($parts['port']) ? ':' . $parts['port'] : '');
    [, $metadata] = ask($host . '/.well-known/oauth-authorization-server' . rtrim($parts['path'] ?? '', '/'));
    if (($metadata['issuer'] ?? null) !== $issuer) {
        page(502, '<p>The metadata does not speak for the issuer.</p>');
    }
    return $metadata;
}

/** A form to one of the endpoints, with the client's credentials as HTTP Basic (RFC 6749 section 2.3.1). */
function post(string $endpoint, array $fields): array
{
    global $clientId, $clientSecret;
    $pair = base64_encode(urlencode($clientId) . ':' . urlencode($clientSecret));
    return ask($endpoint, [
        'method' => 'POST',
        'header' => "Authorization: Basic $pair\r\nContent-Type: application/x-www-form-urlencoded\r\nAccept: application/json",
        'content' => http_build_query($fields),
    ]);
}

function cookie(string $name): string
{
    global $port;
    return $_COOKIE["$name-$port"] ?? '';
}

function leave(string $name, ?string $value): void
{
    global $port;
    setcookie("$name-$port", $value ?? '', [
        'expires' => $value === null ? 1 : 0,
        'path' => '/',
        'httponly' => true,
        'samesite' => 'Lax',
    ]);
}

function redirect(string $address): never
{
    header('Cache-Control: no-store');
    header("Location: $address", true, 303);
    exit();
}

function who(array $metadata): array
{
    $token = cookie('token');
    if ($token === '') {
        return ['active' => false];
    }
    [$status, $reply] = post($metadata['introspection_endpoint'], ['token' => $token]);
    if ($status !== 200) {
        error_log("who is there was not told: $status " . ($reply['error'] ?? $reply['code'] ?? ''));
        page(502, "<p>This cannot be shown right now. The application's log says why.</p>");
    }
    return $reply;
}

function page(int $status, string $body): never
{
    http_response_code($status);
    header('Content-Type: text/html; charset=utf-8');
    header('Cache-Control: no-store');
    echo "<!doctype html><title>PHP</title>$body";
    exit();
}

$path = parse_url($_SERVER['REQUEST_URI'], PHP_URL_PATH);
if ($path === '/') {
    page(200, '<p>Open to all. <a href="/members">For members</a></p>');
}
$metadata = metadata($issuer);

if ($path === '/members') {
    $who = who($metadata);
    if (($who['active'] ?? false) === true) {
        $name = htmlspecialchars($who['name'] ?? $who['username'] ?? $who['email'] ?? $who['sub']);
        page(200, "<p>Good day, $name. <a href=\"$issuer/account\">Your account</a></p><form method=\"post\" action=\"/sign-out\"><button>Sign out</button></form>");
    }
    $state = base64url(random_bytes(16));
    $verifier = base64url(random_bytes(32));
    leave('away', "$state.$verifier");
    redirect($metadata['authorization_endpoint'] . '?' . http_build_query([
        'response_type' => 'code',
        'client_id' => $clientId,
        'redirect_uri' => $returnAddress,
        'state' => $state,
        'code_challenge' => base64url(hash('sha256', $verifier, true)),
        'code_challenge_method' => 'S256',
    ]));
}

if ($path === '/back') {
    [$state, $verifier] = explode('.', cookie('away') . '.');
    $told = $metadata['authorization_response_iss_parameter_supported'] ?? false;
    if ($state === '' || ($_GET['state'] ?? '') !== $state || ($told && ($_GET['iss'] ?? '') !== $issuer)) {
        page(400, '<p>This browser did not ask for this sign-in.</p>');
    }
    if (isset($_GET['error'])) {
        page(400, '<p>Not signed in: ' . htmlspecialchars($_GET['error']) . '</p>');
    }
    [$status, $reply] = post($metadata['token_endpoint'], [
        'grant_type' => 'authorization_code',
        'code' => $_GET['code'] ?? '',
        'redirect_uri' => $returnAddress,
        'code_verifier' => $verifier,
    ]);
    if ($status !== 200) {
        page(400, '<p>Not signed in: ' . htmlspecialchars($reply['error'] ?? 'no reply') . '</p>');
    }
    leave('away', null);
    leave('token', $reply['access_token']);
    redirect('/members');
}

if ($path === '/sign-out' && $_SERVER['REQUEST_METHOD'] === 'POST') {
    $who = who($metadata);
    leave('token', null);
    if (($who['active'] ?? false) !== true) {
        redirect('/');
    }
    post($metadata['revocation_endpoint'], ['token' => cookie('token')]);
    // The session itself ends at Lucchetto; whoever knows its id is not asked again.
    redirect($metadata['end_session_endpoint'] . '?' . http_build_query([
        'client_id' => $clientId,
        'post_logout_redirect_uri' => $signedOutAddress,
        'logout_hint' => $who['sid'],
    ]));
}

page(404, '<p>Nothing stands here.</p>');
