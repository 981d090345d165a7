import { say, make, press } from './make.js';

// The address of the place that is read, to copy. Where the frame may not write
// to the clipboard, the address is there to be taken by hand.

export function fill(panel, reader) {
  const address = make('input', { type: 'text', readonly: true, id: 'address', 'aria-label': say('link_address'), onfocus: () => address.select() });
  const status = make('p', { class: 'count', role: 'status' });
  const copy = async () => {
    address.focus();
    address.select();
    try {
      await navigator.clipboard.writeText(address.value);
    } catch {
      if (!document.execCommand('copy')) {
        status.textContent = say('link_by_hand');
        return;
      }
    }
    status.textContent = say('link_copied');
  };
  panel.append(address, make('p', {}, press('main', say('link_copy'), copy)), status);
  const set = () => { address.value = reader.addressNow(); };
  return { mark: set, opened() { set(); status.textContent = ''; address.focus(); } };
}
