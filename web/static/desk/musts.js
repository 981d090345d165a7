// What has to be fixed of many is asked about in one question before they are published.

/** What a screen with the dialog "musts" is given; publishes is what it does all the same. */
export const musts = {
  musts: { first: [], all: 0, looked: 0, of: 0 },
  /** @type {() => any} */
  publishes: () => {},

  /** Asks where a refusal says about what, and says whether it does. */
  mustsAsked(refused, publishes) {
    if (!refused.said?.asked) return false;
    this.musts = refused.said.asked;
    this.publishes = publishes;
    /** @type {HTMLDialogElement} */ (document.getElementById('musts')).showModal();
    return true;
  },
  anyway() {
    /** @type {HTMLDialogElement} */ (document.getElementById('musts')).close();
    return this.publishes();
  },
  mustWords(m) { return `${m.title}: ${m.text} (${m.screens.join(', ')})`; },
  moreMusts() {
    const { first, all, looked, of } = this.musts;
    return [all > first.length ? `And ${all - first.length} more.` : '',
      looked < of ? `The first ${looked} of ${of} placements were looked at.` : ''].filter(Boolean).join(' ');
  },
};
