import { keepPages, renewedStore } from './renewed';

/** A browser's container of workers, as far as it is asked. */
function container(controller: object | null, fails = false) {
  const heard: (() => void)[] = [];
  let updates = 0;
  return {
    takeOver: () => heard.forEach((h) => h()),
    updates: () => updates,
    browser: {
      controller,
      addEventListener: (_what: string, h: () => void) => heard.push(h),
      register: async () => {
        if (fails) throw new Error('no room');
        return {
          update: async () => {
            updates += 1;
            throw new TypeError('no network');
          },
        };
      },
    } as unknown as ServiceWorkerContainer,
  };
}
function page() {
  const heard: (() => void)[] = [];
  const self = { visibilityState: 'visible' as DocumentVisibilityState, addEventListener: (_what: string, h: () => void) => heard.push(h) };
  return {
    as: self as unknown as Pick<Document, 'addEventListener' | 'visibilityState'>,
    show(state: DocumentVisibilityState) {
      self.visibilityState = state;
      heard.forEach((h) => h());
    },
  };
}
beforeEach(() => renewedStore.setState({ renewed: false }));

test('a worker that takes over from another one has the newer pages; the first of all takes over from nobody', async () => {
  const first = container(null);
  (await keepPages(first.browser, page().as))();
  first.takeOver();
  expect(renewedStore.getState().renewed).toBe(false);
  // the page stayed open, and the server was renewed
  first.takeOver();
  expect(renewedStore.getState().renewed).toBe(true);

  renewedStore.setState({ renewed: false });
  const kept = container({});
  (await keepPages(kept.browser, page().as))();
  kept.takeOver();
  expect(renewedStore.getState().renewed).toBe(true);
});

test('it is asked for whenever the phone is taken out again, and a network that is away is no fault', async () => {
  const c = container({});
  const p = page();
  const stop = await keepPages(c.browser, p.as);
  p.show('hidden');
  expect(c.updates()).toBe(0);
  p.show('visible');
  p.show('hidden');
  p.show('visible');
  expect(c.updates()).toBe(2);
  stop();
});

test('a browser that keeps no pages still opens them', async () => {
  const stop = await keepPages(container(null, true).browser, page().as);
  expect(stop).not.toThrow();
});
