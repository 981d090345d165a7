// What a screen tells the server goes one after the other, each command made of what the
// one before left: a press of a button ends the writing in a field, which is a change of
// its own. What is refused is told, and what others did is in view by then.

/** What a screen is given that has trouble (a sentence, or ''). */
export const commands = {
  /** @type {Promise<any>} */
  queue: Promise.resolve(), busy: false,

  /** Asks for a new state and gives whether it was given: did has it; reload asks for the
      one that holds, where others were faster (409); refused has why not, and that state
      or null; ended comes after both.
      @param {() => Promise<any>} request
      @param {{ did: (state: any) => void, reload: () => Promise<any>, refused: (refusal: any, state: any) => void,
        ended?: () => void }} then */
  command(request, { did, reload, refused, ended }) {
    this.queue = this.queue.then(async () => {
      this.busy = true;
      try {
        did(await request());
        this.trouble = '';
        return true;
      } catch (refusal) {
        const state = refusal.status === 409 ? await reload().catch(() => null) : null;
        this.trouble = refusal.message;
        refused(refusal, state);
        return false;
      } finally {
        this.busy = false;
        ended?.();
      }
    });
    return this.queue;
  },
};
