/* global jest */
// What every component test stands on: no icon fonts, a router that notes where it was sent, and the few browser names that the client uses.
require('fake-indexeddb/auto');
// React notes of each element where it was made, by an error with its stack: a quarter of what the tests of the screens took. It does so for so many
// a second; none here. A warning of React's names the component all the same.
const ofReact = require('react').__CLIENT_INTERNALS_DO_NOT_USE_OR_WARN_USERS_THEY_CANNOT_UPGRADE;
if (ofReact) Object.defineProperty(ofReact, 'recentlyCreatedOwnerStacks', { get: () => Infinity, set: () => undefined });
jest.mock('@expo/vector-icons/MaterialIcons', () => 'Icon');
jest.mock('expo-router', () => {
  const { useEffect } = require('react');
  const router = { push: jest.fn(), replace: jest.fn() };
  return { useRouter: () => router, usePathname: () => '/floor', useFocusEffect: (effect) => useEffect(effect, [effect]), Link: ({ children }) => children, router };
});
global.window.addEventListener ??= () => undefined;
global.window.removeEventListener ??= () => undefined;
global.document ??= { addEventListener: () => undefined, removeEventListener: () => undefined, visibilityState: 'visible' };
global.crypto ??= require('node:crypto').webcrypto;
global.navigator ??= {};
global.navigator.userAgent ??= 'test';
// React Native's own stand-ins of these hold no bytes
const { Blob: NodeBlob, File: NodeFile } = require('node:buffer');
global.Blob = NodeBlob;
global.File = NodeFile;
// as in a browser, what is kept are the object's own keys: a test that looks for something in it finds it
class KeptStorage {
  getItem(key) {
    return Object.hasOwn(this, key) ? this[key] : null;
  }
  setItem(key, value) {
    this[key] = String(value);
  }
  removeItem(key) {
    delete this[key];
  }
  clear() {
    for (const key of Object.keys(this)) delete this[key];
  }
}
global.localStorage ??= new KeptStorage();
