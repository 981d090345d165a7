// What proxies do to files.

/** What a proxy between here and the server did to a file, by its status: our own
    refusals say themselves what they are. line is what its operator changes. */
export function cutOff(status, size, kept = 'Nothing was kept.') {
  const mb = `${Math.max(1, Math.round(size / 1e5)) / 10} MB`;
  const [what, line] = {
    413: ['takes no file as large as that', `client_max_body_size ${Math.ceil(size / (1 << 20)) + 1}m;`],
    502: ['lost the server while the file was on its way', 'proxy_request_buffering off;'],
    504: ['waited no longer for the server', 'proxy_read_timeout 300s;'],
  }[status] ?? [];
  return what && `A proxy between you and Incipit ${what} (${mb}, status ${status}). ${kept} Whoever runs it has to change one line; in nginx: ${line}`;
}
