// A session may end while somebody works. Requests of the desk's scripts then wait while the
// editor signs in, on the same screen, and go on: nothing that was typed is lost.

let entering;

/** Shows a way to sign in, and says whether the editor did.
    @returns {Promise<boolean>} */
function enter() {
  entering ??= new Promise((resolve) => {
    const at = document.activeElement;
    const box = document.createElement('dialog');
    box.className = 'enter';
    box.setAttribute('aria-labelledby', 'enterTitle');
    box.innerHTML = `<form><h2 id="enterTitle">Your session has ended</h2>
<p>Sign in, and what you did goes on. Everything you typed is still here.</p>
<p class="said must" role="alert" hidden></p>
<label for="enterEmail">E-mail address</label><input class="form-control" id="enterEmail" name="email" type="email" autocomplete="username" required>
<label for="enterPassword">Password</label><input class="form-control" id="enterPassword" name="password" type="password" autocomplete="current-password" required>
<p class="line"><button class="btn btn-primary" type="submit">Sign in</button> <button class="btn btn-outline-dark" type="button">Not now</button></p></form>`;
    const form = box.querySelector('form');
    const trouble = /** @type {HTMLElement} */ (box.querySelector('[role=alert]'));
    const done = (is) => {
      entering = undefined;
      box.remove();
      if (at instanceof HTMLElement) at.focus({ preventScroll: true });
      resolve(is);
    };
    form.addEventListener('submit', async (event) => {
      event.preventDefault();
      const answer = await fetch('/sign-in', { method: 'POST', headers: { Accept: 'application/json' },
        body: new URLSearchParams([...new FormData(form)].map(([k, v]) => [k, String(v)])) }).catch(() => null);
      if (answer?.ok) return done(true);
      trouble.hidden = false;
      trouble.textContent = (await answer?.json().catch(() => null))?.message ?? 'The server cannot be reached. Try again when the connection is back.';
    });
    box.querySelector('[type=button]').addEventListener('click', () => done(false));
    box.addEventListener('cancel', () => done(false));
    document.body.append(box);
    box.showModal();
  });
  return entering;
}

/** fetch, of one's own server: where the session has ended, once the editor has signed in.
    @returns {Promise<Response>} */
export async function request(address, options) {
  for (;;) {
    const answer = await fetch(address, options);
    if (answer.status !== 401 || !await enter()) return answer;
  }
}
