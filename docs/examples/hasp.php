<?php
/*
 * Closed pages for an application in PHP, with nothing but PHP itself. Copy this file beside your own, and let every request begin with it:
 * in the front controller, or by auto_prepend_file.
 *
 *     require 'hasp.php';
 *     $hasp = new Hasp(
 *         service: 'https://accounts.brina.example',
 *         clientId: 'hut-book',
 *         appKey: getenv('LUCCHETTO_APP_KEY'),
 *         returnAddress: 'https://huts.example/signed-in',
 *         signedOutAddress: 'https://huts.example/',
 *         closed: ['/members/*', ['path' => '/keepers/*', 'label' => 'keeper'], ['path' => '/key-box', 'level' => 2]],
 *     );
 *     $account = $hasp->enter();
 *
 * $account is who is there (an array: sub, email, name, labels …), or null for a guest at an open path; whoever may not pass got their answer.
 * A path may want a label ('keeper', ['any' => […]] or ['all' => […]]), level 2 (a second factor), and freshWithin seconds of a proof;
 * $hasp->closed(label: 'keeper') wants it of one script. In place of closed, open: ['/'] closes everything else. The hasp answers at /sign-in,
 * /register, /sign-out (POST) and the return address. Scripts send an access key: Authorization: Bearer lca_…
 *
 * Standards: RFC 8414 (metadata), RFC 6749 section 4.1 (authorization code), RFC 7636 (PKCE), RFC 9207 (iss), RFC 7662 (introspection),
 * RFC 7009 (revocation), RFC 9470 (step-up), RFC 9457 (problems), OpenID Connect RP-Initiated Logout 1.0 and Core 1.0 section 4 (signing out,
 * sign-ins begun elsewhere).
 */
declare(strict_types=1);

/** Lucchetto gave no answer, or does not know this application. */
final class LucchettoUnreachable extends RuntimeException
{
}

final class Hasp
{
    private const AWAY_FOR = 3600; // seconds that somebody may take to sign in
    private const MAX_AWAY = 4; // sign-ins that one browser may have begun at once
    private const MAX_KEPT_FOR = 60; // seconds for which an answer may be used again
    private const MAX_TARGET = 800; // characters of a wanted page's address; a longer one is forgotten
    private const TIMEOUT = 5;

    private readonly string $callsTo;
    private readonly string $origin;
    private readonly string $returnPath;
    private readonly bool $isSecure;
    private readonly string $port;
    private readonly HaspGuard $guard;
    /** @var array<string, mixed>|null */
    private ?array $metadata = null;

    /**
     * @param ?string $internalAddress where this server reaches Lucchetto, if not by its public address
     * @param float $keepAnswersFor seconds, 60 at most, for which a session that ended still opens pages; it saves a question per request
     * @param ?string $keepAnswersIn a folder of this application's own, which nobody else can write; with one, each request asks Lucchetto once, not twice
     * @throws InvalidArgumentException for what cannot work
     */
    public function __construct(
        private readonly string $service,
        private readonly string $clientId,
        private readonly string|false $appKey,
        private readonly string $returnAddress,
        private readonly ?string $signedOutAddress = null,
        ?string $internalAddress = null,
        array $closed = [],
        ?array $open = null,
        private readonly float $keepAnswersFor = 0,
        private readonly ?string $keepAnswersIn = null,
        private readonly string $signIn = '/sign-in',
        private readonly string $register = '/register',
        private readonly string $signOut = '/sign-out',
    ) {
        if (!str_starts_with((string) $appKey, 'lcp_')) {
            throw new InvalidArgumentException('appKey: expected an app key, which begins with lcp_; `lucchetto app new-key` shows one');
        }
        if ($keepAnswersFor < 0 || $keepAnswersFor > self::MAX_KEPT_FOR || ($keepAnswersFor > 0 && $keepAnswersIn === null)) {
            throw new InvalidArgumentException('keepAnswersFor: expected seconds from 0 to 60, and keepAnswersIn a folder');
        }
        $this->callsTo = $internalAddress ?? $service;
        $address = parse_url($returnAddress);
        $this->port = (string) ($address['port'] ?? 80);
        $this->origin = self::originOf($address);
        $this->isSecure = $address['scheme'] === 'https';
        $this->returnPath = $address['path'] ?? '/';
        $this->guard = new HaspGuard($closed, $open);
    }

    /** Answers at the hasp's own addresses, and to whom does not pass; else says who is there. @return ?array<string, mixed> */
    public function enter(): ?array
    {
        try {
            $this->own();
            return $this->admit($this->guard->wantedHere());
        } catch (LucchettoUnreachable $away) {
            $this->answerUnreachable($away);
        }
    }

    /** For one script: whoever is signed in and meets what is wanted. @return array<string, mixed> */
    public function closed(string|array|null $label = null, int $level = 1, ?int $freshWithin = null): array
    {
        $wanted = array_filter(['label' => $label, 'level' => $level, 'freshWithin' => $freshWithin], fn ($one) => $one !== null);
        HaspGuard::assertWanted($wanted);
        try {
            return $this->admit([$wanted]) ?? [];
        } catch (LucchettoUnreachable $away) {
            $this->answerUnreachable($away);
        }
    }

    // Who is there

    /** @param list<array<string, mixed>> $allWanted */
    private function admit(array $allWanted): ?array
    {
        $isClosed = $allWanted !== [];
        $key = $this->accessKey();
        $token = $key ?? $this->checkToken();
        // Something is to change on the strength of a cookie: only where the browser says that a page of this application asked.
        if (!$this->isReading() && $key === null && $token !== null && !$this->isOwnOrigin(false)) {
            if ($isClosed) {
                $this->problem(403, 'foreign-origin', "A browser sent this from a page that is not this application's own.");
            }
            return null;
        }
        try {
            $account = $token === null ? null : $this->recognise($token, array_filter($allWanted, fn ($one) => isset($one['freshWithin'])) !== []);
        } catch (LucchettoUnreachable $away) {
            if ($isClosed) {
                throw $away;
            }
            error_log('hasp: who is there was not told: ' . $away->getMessage());
            return null;
        }
        foreach ($allWanted as $wanted) {
            if ($account === null) {
                $this->askToSignIn($wanted, $key !== null);
            }
            $lack = HaspGuard::firstUnmet($account, $wanted);
            if ($lack !== null) {
                $this->refuse($wanted, $lack);
            }
        }
        if ($isClosed) {
            // Kept by no browser, where the back button would show it after signing out.
            header('Cache-Control: no-store');
        }
        return $account;
    }

    private function recognise(string $token, bool $isFreshWanted): ?array
    {
        $file = $this->keptFile($token);
        $kept = $file === null || $isFreshWanted ? null : self::readKept($file);
        if ($kept !== null) {
            return $kept;
        }
        [$status, $account] = $this->post('introspection_endpoint', ['token' => $token]);
        if ($status !== 200) {
            throw new LucchettoUnreachable("$status " . ($account['error'] ?? $account['code'] ?? ''));
        }
        if (($account['active'] ?? false) !== true) {
            return null;
        }
        if ($file !== null) {
            $this->keep($file, $account, $this->keepAnswersFor);
        }
        return $account;
    }

    /** The name says nothing of the token; the folder is this application's own. */
    private function keptFile(string $token): ?string
    {
        return $this->keepAnswersFor > 0 ? $this->keepAnswersIn . '/' . hash('sha256', $token) . '.json' : null;
    }

    private static function readKept(string $file): ?array
    {
        $kept = is_file($file) ? json_decode((string) @file_get_contents($file), true) : null;
        return is_array($kept) && microtime(true) < ($kept['until'] ?? 0) ? $kept['value'] : null;
    }

    /** Written aside and moved into place, so that nobody reads half of it. */
    private function keep(string $file, array $value, float $for): void
    {
        $kept = ['until' => microtime(true) + $for, 'value' => $value];
        if (!is_dir($this->keepAnswersIn)) {
            @mkdir($this->keepAnswersIn, 0700, true);
        }
        $aside = $file . bin2hex(random_bytes(8));
        if (@file_put_contents($aside, json_encode($kept)) !== false && chmod($aside, 0600)) {
            rename($aside, $file);
        }
        if (random_int(1, 100) === 1) {
            foreach (glob($this->keepAnswersIn . '/*.json') as $old) {
                if (time() - (int) @filemtime($old) > self::MAX_KEPT_FOR) {
                    @unlink($old);
                }
            }
        }
    }

    private function askToSignIn(array $wanted, bool $isScript): never
    {
        if ($this->isPage() && !$isScript) {
            if ($this->isReading()) {
                $this->sendOff($this->target(), self::stepUp($wanted));
            }
            $text = 'What you sent was not saved. Sign in, then send it again.';
            $this->page(401, 'You’re no longer signed in', $text, [$this->signIn, 'Sign in']);
        }
        header("WWW-Authenticate: Bearer realm=\"$this->origin\"" . ($isScript ? ', error="invalid_token"' : ''));
        $this->problem(401, 'not-signed-in', 'Nobody is signed in. Sign in in a browser, or send an access key: Authorization: Bearer lca_…');
    }

    private function refuse(array $wanted, string $lack): never
    {
        if ($lack === 'label') {
            $label = $wanted['label'];
            $name = is_string($label) ? $label : implode(isset($label['any']) ? '” or “' : '” and “', $label['any'] ?? $label['all']);
            $text = "It is for people with the label “{$name}”, which your account does not have.";
            if ($this->isPage()) {
                $this->page(403, 'This page is not for you', $text, ['/', 'Back to the start page']);
            }
            $this->problem(403, 'label-missing', $text);
        }
        if ($lack !== 'session' && $this->isPage() && $this->isReading()) {
            $this->sendOff($this->target(), self::stepUp($wanted));
        }
        $steps = '';
        foreach (self::stepUp($wanted) as $name => $value) {
            $steps .= ", $name=\"$value\"";
        }
        header("WWW-Authenticate: Bearer realm=\"$this->origin\", error=\"insufficient_user_authentication\"$steps");
        $this->problem(401, 'step-up-required', 'This needs a session with a second factor, or a proof that was shown a short while ago.');
    }

    /** As parameters of an authorization request (RFC 9470 section 4). */
    private static function stepUp(array $wanted): array
    {
        $level = ($wanted['level'] ?? 1) === 2 ? ['acr_values' => 'aal2'] : [];
        return $level + (isset($wanted['freshWithin']) ? ['max_age' => (string) $wanted['freshWithin']] : []);
    }

    // The hasp's own addresses

    private function own(): void
    {
        $path = parse_url('http://x' . $_SERVER['REQUEST_URI'], PHP_URL_PATH) ?: '/';
        if ($path === $this->signOut) {
            $this->signOutHere();
        }
        if ($_SERVER['REQUEST_METHOD'] !== 'GET') {
            return;
        }
        if ($path === $this->returnPath) {
            $this->finish();
        }
        $next = self::ownPath(self::query('next'));
        if ($path === $this->register) {
            $this->sendOff($next, ['prompt' => 'create']);
        }
        if ($path === $this->signIn) {
            if (self::query('iss') !== null) {
                $this->startedElsewhere();
            }
            $this->sendOff($next, self::query('by') === 'mail' ? ['by' => 'mail'] : []);
        }
    }

    private function sendOff(string $target, array $more): never
    {
        $target = strlen($target) <= self::MAX_TARGET ? $target : '/';
        [$state, $verifier] = [self::base64url(random_bytes(16)), self::base64url(random_bytes(32))];
        $fields = [
            'response_type' => 'code',
            'client_id' => $this->clientId,
            'redirect_uri' => $this->returnAddress,
            'state' => $state,
            'code_challenge' => self::base64url(hash('sha256', $verifier, true)),
            'code_challenge_method' => 'S256',
            'target_link_uri' => $this->origin . $target,
        ];
        $address = $this->endpoint('authorization_endpoint') . '?' . http_build_query($fields + $more);
        $away = $this->cookieName('away') . '-';
        $begun = array_values(array_filter(array_keys($_COOKIE), fn ($name) => str_starts_with((string) $name, $away)));
        foreach (array_slice($begun, 0, max(0, count($begun) - self::MAX_AWAY + 1)) as $old) {
            $this->leave($old, null);
        }
        $this->leave($away . substr($state, 0, 8), "$state.$verifier." . self::base64url($target), self::AWAY_FOR);
        $this->redirect($address);
    }

    /** Whom Lucchetto leads back to a page; nothing about who they are is taken from the address. */
    private function startedElsewhere(): never
    {
        if (self::query('iss') !== $this->service) {
            $this->beginAgain('The answer did not come from the expected service.');
        }
        $target = self::query('target_link_uri') ?? '';
        $inside = str_starts_with($target, $this->origin . '/') ? substr($target, strlen($this->origin)) : '/';
        $this->sendOff(self::ownPath($inside), []);
    }

    private function finish(): never
    {
        $state = self::query('state') ?? '';
        $name = $this->cookieName('away') . '-' . substr($state, 0, 8);
        [$began, $verifier, $target] = explode('.', $this->cookie($name), 3) + ['', '', ''];
        if ($state === '' || !hash_equals($began, $state)) {
            $this->beginAgain('This sign-in did not start in this browser, or it took too long.');
        }
        $this->leave($name, null);
        if (self::query('iss') !== $this->service) {
            $this->beginAgain('The answer did not come from the expected service.');
        }
        $page = self::ownPath(base64_decode(strtr($target, '-_', '+/'), true) ?: null);
        $error = self::query('error');
        if ($error === 'unmet_authentication_requirements') {
            $onwards = http_build_query(['client_id' => $this->clientId, 'target_link_uri' => $this->origin . $page]);
            $next = rtrim(parse_url($this->service, PHP_URL_PATH) ?? '', '/') . "/continue?$onwards";
            $add = "$this->service/account/second-factor?" . http_build_query(['next' => $next]);
            $text = 'Your account has none yet. Add one; afterwards you can continue here.';
            $this->page(403, 'This page requires a second factor', $text, [$add, 'Add a second factor']);
        }
        if ($error !== null) {
            $this->beginAgain('The sign-in was not completed: ' . (self::query('error_description') ?? $error));
        }
        [$status, $reply] = $this->post('token_endpoint', [
            'grant_type' => 'authorization_code',
            'code' => self::query('code') ?? '',
            'redirect_uri' => $this->returnAddress,
            'code_verifier' => $verifier,
        ]);
        if ($status === 400) {
            $this->beginAgain('The sign-in took too long, or its answer was already used.');
        }
        if ($status !== 200) {
            throw new LucchettoUnreachable("$status " . ($reply['error'] ?? ''));
        }
        $this->leave($this->cookieName('check'), $reply['access_token']);
        $this->redirect($page);
    }

    private function signOutHere(): never
    {
        if ($_SERVER['REQUEST_METHOD'] !== 'POST') {
            header('Allow: POST');
            $this->page(405, 'Use the sign-out button', 'Opening a link does not sign you out. Go back and press the button.');
        }
        if (!$this->isOwnOrigin(true)) {
            $this->problem(403, 'foreign-origin', "Only this application's own pages may sign people out.");
        }
        $this->leave($this->cookieName('check'), null);
        $token = $this->checkToken();
        $account = $token === null ? null : $this->recognise($token, true);
        if ($account === null) {
            $this->redirect($this->signedOutAddress ?? '/');
        }
        $this->post('revocation_endpoint', ['token' => $token]);
        @unlink((string) $this->keptFile($token));
        $fields = ['client_id' => $this->clientId, 'logout_hint' => $account['sid'] ?? ''];
        $fields += $this->signedOutAddress === null ? [] : ['post_logout_redirect_uri' => $this->signedOutAddress];
        $this->redirect($this->endpoint('end_session_endpoint') . '?' . http_build_query($fields));
    }

    private function beginAgain(string $why): never
    {
        $this->page(400, 'Please sign in again', "$why Please try again.", [$this->signIn . '?next=%2F', 'Sign in']);
    }

    private function answerUnreachable(LucchettoUnreachable $away): never
    {
        error_log('hasp: who is there was not told: ' . $away->getMessage());
        header('Retry-After: 5');
        if (!$this->isPage()) {
            $this->problem(503, 'storage-unavailable', 'Lucchetto cannot be asked who this is. Try again in a moment.');
        }
        $this->page(503, 'One moment, please', 'We can’t check who you are right now. Please try again in a moment.');
    }

    // Lucchetto, asked

    /** From the metadata (RFC 8414), which a request reads anew unless there is a folder to keep it in. */
    private function endpoint(string $name): string
    {
        $file = $this->keepAnswersIn === null ? null : $this->keepAnswersIn . '/metadata.json';
        $this->metadata ??= $file === null ? null : self::readKept($file);
        if ($this->metadata === null) {
            $parts = parse_url($this->callsTo);
            $path = rtrim($parts['path'] ?? '', '/');
            [, $metadata] = $this->ask(self::originOf($parts) . "/.well-known/oauth-authorization-server$path");
            if (($metadata['issuer'] ?? null) !== $this->service) {
                throw new LucchettoUnreachable("$this->callsTo does not speak for $this->service");
            }
            $this->metadata = $metadata;
            if ($file !== null) {
                $this->keep($file, $metadata, self::MAX_KEPT_FOR);
            }
        }
        return $this->metadata[$name];
    }

    /** A form, with the application's credentials as HTTP Basic (RFC 6749 section 2.3.1). @return array{int, array<string, mixed>} */
    private function post(string $endpoint, array $fields): array
    {
        $pair = base64_encode(urlencode($this->clientId) . ':' . urlencode((string) $this->appKey));
        return $this->ask($this->callsTo . substr($this->endpoint($endpoint), strlen($this->service)), [
            'method' => 'POST',
            'header' => "Authorization: Basic $pair\r\nContent-Type: application/x-www-form-urlencoded\r\nAccept: application/json",
            'content' => http_build_query($fields),
        ]);
    }

    /** @return array{int, array<string, mixed>} status and the decoded JSON */
    private function ask(string $address, array $options = []): array
    {
        $options += ['timeout' => self::TIMEOUT, 'ignore_errors' => true, 'follow_location' => 0];
        $text = @file_get_contents($address, false, stream_context_create(['http' => $options]));
        if ($text === false || !preg_match('/ (\d{3})/', $http_response_header[0], $match)) {
            throw new LucchettoUnreachable('Lucchetto gave no answer at ' . strtok($address, '?'));
        }
        return [(int) $match[1], json_decode($text, true) ?? []];
    }

    // Requests

    private static function query(string $name): ?string
    {
        $value = $_GET[$name] ?? null;
        return is_string($value) ? $value : null;
    }

    private function isReading(): bool
    {
        return in_array($_SERVER['REQUEST_METHOD'], ['GET', 'HEAD'], true) && !isset($_SERVER['HTTP_UPGRADE']);
    }

    private function isPage(): bool
    {
        return str_contains($_SERVER['HTTP_ACCEPT'] ?? '', 'text/html');
    }

    /** Whether a browser says that a page of this application asked; $otherwise where no browser says anything. */
    private function isOwnOrigin(bool $otherwise): bool
    {
        if (isset($_SERVER['HTTP_ORIGIN'])) {
            return $_SERVER['HTTP_ORIGIN'] === $this->origin;
        }
        $site = $_SERVER['HTTP_SEC_FETCH_SITE'] ?? null;
        return $site === null ? $otherwise : $site === 'same-origin';
    }

    private function accessKey(): ?string
    {
        $header = $_SERVER['HTTP_AUTHORIZATION'] ?? $_SERVER['REDIRECT_HTTP_AUTHORIZATION'] ?? '';
        return preg_match('~^Bearer +(lca_[A-Za-z0-9._\~+/=-]+)$~iD', $header, $match) ? $match[1] : null;
    }

    private function checkToken(): ?string
    {
        $token = $this->cookie($this->cookieName('check'));
        return preg_match('/^lck_[A-Za-z0-9_-]{43}$/D', $token) ? $token : null;
    }

    private function target(): string
    {
        return self::ownPath($_SERVER['REQUEST_URI']);
    }

    /** A path of this application that is safe to be sent to; "/" for anything else. */
    private static function ownPath(?string $text): string
    {
        $isPath = $text !== null && preg_match('~^/(?!/)[\x21-\x5b\x5d-\x7e]*$~D', $text) === 1;
        // Dot segments could leave two slashes at the start, which name another host.
        return $isPath && !preg_match('~^(?:/|/(?:\.|%2e){1,2})+/~i', $text) ? $text : '/';
    }

    // Cookies and answers

    private function cookieName(string $what): string
    {
        return $this->isSecure ? "__Host-lucchetto-$what" : "lucchetto-$what-$this->port";
    }

    private function cookie(string $name): string
    {
        $value = $_COOKIE[$name] ?? '';
        return is_string($value) ? $value : '';
    }

    /** @param ?int $for seconds; until the browser is closed without */
    private function leave(string $name, ?string $value, ?int $for = null): void
    {
        $expires = $value === null ? 1 : ($for === null ? 0 : time() + $for);
        $attributes = ['path' => '/', 'secure' => $this->isSecure, 'httponly' => true, 'samesite' => 'Lax'];
        setcookie($name, $value ?? '', ['expires' => $expires] + $attributes);
    }

    private function redirect(string $address): never
    {
        $this->finishAnswer(303, ["Location: $address"]);
    }

    /** For programs (RFC 9457). */
    private function problem(int $status, string $code, string $detail): never
    {
        $this->finishAnswer($status, ['Content-Type: application/problem+json'], json_encode(compact('code', 'status', 'detail')));
    }

    /** One thing to say and one thing to do; the words and the look are yours to change. @param ?array{string, string} $link */
    private function page(int $status, string $title, string $text, ?array $link = null): never
    {
        [$title, $text] = array_map('htmlspecialchars', [$title, $text]);
        $way = $link === null ? '' : sprintf('<p><a href="%s">%s</a></p>', ...array_map('htmlspecialchars', $link));
        $headers = ['Content-Type: text/html; charset=utf-8', "Content-Security-Policy: default-src 'none'; frame-ancestors 'none'"];
        $body = "<!doctype html><html lang=en><meta charset=utf-8><title>$title</title><h1>$title</h1><p>$text</p>$way";
        $this->finishAnswer($status, $headers, $body);
    }

    private function finishAnswer(int $status, array $headers, string $body = ''): never
    {
        http_response_code($status);
        foreach ([...$headers, 'Cache-Control: no-store', 'Referrer-Policy: no-referrer'] as $header) {
            header($header, true, $status);
        }
        exit($body);
    }

    private static function base64url(string $bytes): string
    {
        return rtrim(strtr(base64_encode($bytes), '+/', '-_'), '=');
    }

    private static function originOf(array $parts): string
    {
        return $parts['scheme'] . '://' . $parts['host'] . (isset($parts['port']) ? ':' . $parts['port'] : '');
    }
}

/** Which paths are closed: in every reading that a server, a proxy or a router might take. */
final class HaspGuard
{
    private const MAX_TURNS = 8; // steps of reading, one after the other
    private const MAX_READINGS = 300; // whatever has more, or is odd and longer, is nobody's path: everything is wanted there
    private const MAX_ODD_LENGTH = 1000;
    private const MIN_FRESH = 60; // showing a proof and coming back takes its time

    /** @var list<array{string, array<string, mixed>}> */
    private array $closed = [];

    public function __construct(array $closed, private readonly ?array $open)
    {
        if ($open !== null && $closed !== []) {
            throw new InvalidArgumentException('closed and open: one of them');
        }
        foreach ($open ?? [] as $pattern) {
            self::assertPattern($pattern);
        }
        foreach ($closed as $one) {
            $wanted = is_array($one) ? $one : ['path' => $one];
            self::assertPattern($wanted['path'] ?? '');
            $path = $wanted['path'];
            unset($wanted['path']);
            self::assertWanted($wanted);
            $this->closed[] = [$path, $wanted];
        }
    }

    /** @return list<array<string, mixed>> all that is wanted here; nothing where it is open */
    public function wantedHere(): array
    {
        $asked = $_SERVER['REQUEST_URI'];
        // As PHP's own servers split it into a script and what follows it.
        $split = ($_SERVER['SCRIPT_NAME'] ?? '') . ($_SERVER['PATH_INFO'] ?? '');
        if ($this->open !== null) {
            $path = explode('?', $asked, 2)[0];
            $isOpen = self::isPlain($path) && array_filter($this->open, fn ($one) => self::matches($one, $path, fn ($text) => $text)) !== [];
            return $isOpen ? [] : [[]];
        }
        $readings = [];
        foreach ([$asked, $split, $_SERVER['PATH_INFO'] ?? '/'] as $target) {
            $found = self::readingsOf(explode('?', $target, 2)[0]);
            if ($found === null) {
                return array_column($this->closed, 1);
            }
            $readings += $found;
        }
        $wanted = [];
        foreach ($this->closed as [$pattern, $one]) {
            foreach (array_keys($readings) as $reading) {
                if (self::matches($pattern, (string) $reading, self::cleaned(...))) {
                    $wanted[] = $one;
                    break;
                }
            }
        }
        return $wanted;
    }

    /** @throws InvalidArgumentException for what nobody could meet, or what says nothing */
    public static function assertWanted(array $wanted): void
    {
        foreach (array_keys($wanted) as $name) {
            if (!in_array($name, ['label', 'level', 'freshWithin'], true)) {
                throw new InvalidArgumentException("$name: unknown; expected label, level or freshWithin");
            }
        }
        $label = $wanted['label'] ?? 'x';
        $isLists = is_array($label) && count($label) === 1 && is_array($label['any'] ?? $label['all'] ?? null);
        $names = $isLists ? $label['any'] ?? $label['all'] : [$label];
        if ($names === [] || array_filter($names, fn ($name) => !is_string($name) || $name === '') !== []) {
            throw new InvalidArgumentException("label: expected a label, ['any' => [labels]] or ['all' => [labels]]");
        }
        if (!in_array($wanted['level'] ?? 1, [1, 2], true)) {
            throw new InvalidArgumentException('level: expected 1 or 2');
        }
        if (($wanted['freshWithin'] ?? self::MIN_FRESH) < self::MIN_FRESH) {
            throw new InvalidArgumentException('freshWithin: expected at least 60 seconds');
        }
    }

    public static function firstUnmet(array $account, array $wanted): ?string
    {
        $freshWithin = $wanted['freshWithin'] ?? null;
        $isLevel2 = ($wanted['level'] ?? 1) === 2;
        if (!isset($account['sid']) && ($isLevel2 || $freshWithin !== null)) {
            return 'session';
        }
        $label = $wanted['label'] ?? null;
        $labels = $account['labels'];
        if ($label !== null) {
            $names = is_string($label) ? [$label] : $label['any'] ?? $label['all'];
            $carried = count(array_intersect(array_unique($names), $labels));
            if ($carried === 0 || (isset($label['all']) && is_array($label) && $carried < count(array_unique($names)))) {
                return 'label';
            }
        }
        if ($isLevel2 && $account['acr'] !== 'aal2') {
            return 'level';
        }
        return $freshWithin !== null && $account['checked_at'] - $account['auth_time'] > $freshWithin ? 'freshness' : null;
    }

    private static function assertPattern(string $pattern): void
    {
        if (!preg_match('~^/(?:[^*?#\s]*|[^*?#\s]*/\*)$~D', $pattern)) {
            throw new InvalidArgumentException("$pattern is no path such as /members or /members/*");
        }
    }

    /** @param callable(string): string $read */
    private static function matches(string $pattern, string $path, callable $read): bool
    {
        if (!str_ends_with($pattern, '/*')) {
            return $path === $read($pattern);
        }
        $above = $read(substr($pattern, 0, -2));
        return $path === $above || str_starts_with($path, $above === '/' ? '/' : "$above/");
    }

    /** Nothing in it that one reader takes for one path and another reader for another. */
    private static function isPlain(string $path): bool
    {
        return preg_match('~^/[\x21-\x7e]*$~D', $path) === 1 && !preg_match('~[%\\\\;#?]|//|(?:^|/)\.{1,2}(?:/|$)~', $path);
    }

    /** Every path that some reader might take a target for, in small letters; null: too many. @return ?array<string, true> */
    private static function readingsOf(string $target): ?array
    {
        if (self::isPlain($target)) {
            return [self::cleaned($target) => true];
        }
        if (strlen($target) > self::MAX_ODD_LENGTH) {
            return null;
        }
        $readings = [];
        $fresh = [self::lower($target)];
        for ($turn = 0; $turn <= self::MAX_TURNS; $turn += 1) {
            $found = [];
            foreach ($fresh as $text) {
                $readings[$text] = true;
                foreach (self::stepsOf((string) $text) as $next) {
                    $found[] = $next;
                }
            }
            if (count($readings) > self::MAX_READINGS) {
                return null;
            }
            $fresh = array_filter(array_unique($found), fn ($text) => !isset($readings[$text]));
        }
        return $fresh !== [] ? null : array_fill_keys(array_map(fn ($text) => self::cleaned((string) $text), array_keys($readings)), true);
    }

    /** What readers make of a path, one step at a time. @return list<string> */
    private static function stepsOf(string $text): array
    {
        $steps = [
            self::lower(rawurldecode($text)),
            // What comes out of an encoding may end the path for whoever reads on.
            preg_split('/[?#]/', $text, 2)[0],
            explode(';', $text, 2)[0],
            preg_replace('~;[^/]*~', '', $text),
            strtr($text, '\\', '/'),
            preg_replace('~/+~', '/', $text),
            self::resolved($text, '~^\.{1,2}$~D'),
            self::resolved($text, '~^(?:\.|%2e){1,2}$~D'),
        ];
        // In absolute form (RFC 9112 section 3.2.2), and //host/path, which some take for another host and others for a path.
        foreach (['[a-z][a-z0-9+.-]*:[/\\\\]*[^/\\\\?#]*', '[a-z][a-z0-9+.-]*:', '[/\\\\]{2,}[^/\\\\?#]*'] as $form) {
            if (preg_match("~^{$form}([^?#]*)~", $text, $match)) {
                $steps[] = $match[1];
            }
        }
        return $steps;
    }

    private static function lower(string $text): string
    {
        return function_exists('mb_strtolower') ? mb_strtolower($text, 'UTF-8') : strtolower($text);
    }

    /** Dot segments taken for steps; encoded ones are not by everybody. */
    private static function resolved(string $text, string $dots): string
    {
        $names = [];
        foreach (array_slice(explode('/', $text), 1) as $name) {
            if (!preg_match($dots, $name)) {
                $names[] = $name;
            } elseif (str_replace('%2e', '.', $name) === '..') {
                array_pop($names);
            }
        }
        return '/' . implode('/', $names);
    }

    /** As patterns are read, and plain paths. */
    private static function cleaned(string $path): string
    {
        $names = array_filter(explode('/', self::lower($path)), fn ($name) => $name !== '' && $name !== '.');
        return '/' . implode('/', $names);
    }
}
