// The screen on which the text of pictures is recognised: how far it has come.
import { pause } from './ask.js';

export const recognition = () => ({
  async init() {
    const going = () => document.getElementById('going');
    let leaving = false;
    going().addEventListener('submit', () => { leaving = true; });
    while (going().dataset.going === 'true') {
      await pause(1000);
      const answer = await fetch(location.pathname).catch(() => null);
      if (!answer?.ok || answer.redirected) continue;
      const next = new DOMParser().parseFromString(await answer.text(), 'text/html').getElementById('going');
      if (!next || leaving) return;
      if (next.dataset.going !== 'true') return location.reload();
      const [bar, to] = [going(), next].map((of) => of.querySelector('p'));
      bar.replaceWith(to);
    }
  },
});
