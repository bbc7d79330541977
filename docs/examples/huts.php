<?php
/*
 * A small application behind Lucchetto, before PHP's own server.
 *
 *     LUCCHETTO=http://localhost:8420 CLIENT_ID=… LUCCHETTO_APP_KEY=lcp_… PORT=8501 php -S 127.0.0.1:8501 huts.php
 *
 * Registered: --redirect-uri http://localhost:PORT/signed-in --signed-out-uri http://localhost:PORT/
 */
declare(strict_types=1);
require __DIR__ . '/hasp.php';

$port = getenv('PORT');
$hasp = new Hasp(
    service: getenv('LUCCHETTO'),
    clientId: getenv('CLIENT_ID'),
    appKey: getenv('LUCCHETTO_APP_KEY'),
    returnAddress: "http://localhost:$port/signed-in",
    signedOutAddress: "http://localhost:$port/",
    keepAnswersFor: (float) getenv('KEEP_ANSWERS_FOR'),
    keepAnswersIn: getenv('KEEP_ANSWERS_IN') ?: null,
    closed: [
        '/members/*',
        '/api/*',
        ['path' => '/keepers/*', 'label' => ['any' => ['keeper', 'cook']]],
        ['path' => '/key-box', 'level' => 2],
        ['path' => '/ledger', 'freshWithin' => 300],
    ],
);
$who = $hasp->enter();

$path = rawurldecode(explode('?', $_SERVER['REQUEST_URI'], 2)[0]);
if ($path === '/api/my-nights') {
    header('Content-Type: application/json');
    exit(json_encode(['account' => $who['sub'], 'nights' => []]));
}
$isClosed = preg_match('~^/(members|keepers)(/|$)~', $path) || in_array($path, ['/key-box', '/ledger'], true);
if ($path !== '/' && !$isClosed) {
    http_response_code(404);
    exit('<p>Nothing stands here.</p>');
}
?>
<!doctype html>
<html lang="en">
<title>Brina Huts</title>
<header>
<?php if ($who === null) { ?>
<a href="/sign-in">Sign in</a> <a href="/register">Create an account</a>
<?php } else { ?>
Good day, <?= htmlspecialchars($who['name'] ?? $who['username'] ?? $who['email'] ?? $who['sub']) ?>.
<a href="<?= htmlspecialchars($who['iss']) ?>/account">Your account</a>
<form method="post" action="/sign-out"><button>Sign out</button></form>
<?php } ?>
</header>
<h1>Brina Huts</h1>
<?php if ($path === '/') { ?>
<p>Five huts above the lake. <a href="/members">For members</a> <a href="/key-box">Key box</a></p>
<?php } else { ?>
<p>Your nights at the huts are listed here: none yet. This is <?= htmlspecialchars($path) ?>.</p>
<?php } ?>
