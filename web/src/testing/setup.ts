// What unit tests need of a browser: its global object. The rest is given to them where they use it.
Object.assign(globalThis, { window: globalThis });
