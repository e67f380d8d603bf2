// An OAuth client that others wrote (oauth4webapi) links itself to the house. It prints where a person has to say yes,
// reads where they were sent back to from standard input, and goes through the life of a link.
// usage: node link.mjs HOUSE ID SECRET REDIRECT
import * as oauth from 'oauth4webapi';
import { createInterface } from 'node:readline';

const [house, id, secret, redirect] = process.argv.slice(2);
const insecure = { [oauth.allowInsecureRequests]: true };
const issuer = new URL(house);
const server = await oauth.processDiscoveryResponse(
  issuer,
  await oauth.discoveryRequest(issuer, { algorithm: 'oauth2', ...insecure }),
);
const client = { client_id: id };
const auth = oauth.ClientSecretBasic(secret);
const verifier = oauth.generateRandomCodeVerifier();
const state = oauth.generateRandomState();
const to = new URL(server.authorization_endpoint);
for (const [k, v] of Object.entries({
  client_id: id,
  redirect_uri: redirect,
  response_type: 'code',
  scope: 'see use offline_access',
  state,
  code_challenge: await oauth.calculatePKCECodeChallenge(verifier),
  code_challenge_method: 'S256',
}))
  to.searchParams.set(k, v);
console.log(to.href);
const lines = createInterface({ input: process.stdin })[Symbol.asyncIterator]();
const back = new URL((await lines.next()).value);
const params = oauth.validateAuthResponse(server, client, back, state); // checks iss, too
const grant = () =>
  oauth.authorizationCodeGrantRequest(server, client, auth, params, redirect, verifier, insecure);
const first = await oauth.processAuthorizationCodeResponse(server, client, await grant());
const works = async (token) =>
  (await fetch(new URL('/api/things', house), { headers: { Authorization: `Bearer ${token}` } })).status;
const out = { lasts: first.expires_in, kind: first.token_type, reads: await works(first.access_token) };
const refresh = async (token) =>
  oauth.processRefreshTokenResponse(
    server,
    client,
    await oauth.refreshTokenGrantRequest(server, client, auth, token, insecure),
  );
const second = await refresh(first.refresh_token);
out.rotated = second.refresh_token !== first.refresh_token;
out.old = await works(first.access_token);
out.next = await works(second.access_token);
await oauth.processRevocationResponse(
  await oauth.revocationRequest(server, client, auth, second.refresh_token, insecure),
);
out.revoked = await works(second.access_token);
try {
  await refresh(second.refresh_token);
  out.after = 'it works on';
} catch (e) {
  out.after = e.error;
}
console.log(JSON.stringify(out));
process.exit(0);
