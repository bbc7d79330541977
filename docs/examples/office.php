<?php
// An application's server at work on accounts (`lucchetto app add --rights accounts`), with PHP alone.
//
//     LUCCHETTO=https://accounts.brina.example CLIENT_ID=hut-book APP_KEY=lcp_... php office.php ada@brina.example M-1042

declare(strict_types=1);

/** The reply's JSON; exits with what was wrong and what to do otherwise. */
function call(string $method, string $path, ?array $body = null): array
{
    $key = urlencode(getenv('CLIENT_ID')) . ':' . urlencode(getenv('APP_KEY'));
    $headers = ['Authorization: Basic ' . base64_encode($key), 'Accept: application/json'];
    $http = ['method' => $method, 'timeout' => 10, 'ignore_errors' => true];
    if ($body !== null) {
        $headers[] = 'Content-Type: application/json';
        $http['content'] = json_encode($body);
    }
    $context = stream_context_create(['http' => $http + ['header' => $headers]]);
    $reply = json_decode((string) file_get_contents(getenv('LUCCHETTO') . $path, false, $context), true);
    if (!is_array($reply) || isset($reply['code'])) {
        fwrite(STDERR, is_array($reply) ? "{$reply['code']}: {$reply['detail']}\n" : "no answer\n");
        exit(1);
    }
    return $reply;
}

[, $address, $number] = $argv;

$found = call('GET', '/v1/app/accounts?' . http_build_query(['search' => $number]))['items'];
$member = $found[0] ?? call('POST', '/v1/app/invitations', ['email' => $address, 'reference' => $number]);
$member = call('PATCH', "/v1/app/accounts/{$member['id']}", ['labels' => ['keeper']]);
echo json_encode(array_intersect_key($member, array_flip(['email', 'reference', 'state', 'labels']))), "\n";
