/* global jest */
// What every component test stands on: no icon fonts, a router that notes where it was sent, and the few browser names that the client uses.
require('fake-indexeddb/auto');
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
const kept = new Map();
global.localStorage ??= {
  getItem: (key) => kept.get(key) ?? null,
  setItem: (key, value) => void kept.set(key, String(value)),
  removeItem: (key) => void kept.delete(key),
  clear: () => kept.clear(),
};
