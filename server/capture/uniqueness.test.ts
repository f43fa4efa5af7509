import { describe, expect, it } from '@jest/globals';
import { Memory, WINDOW_MS } from './uniqueness.ts';

const salts = (n: number) => ({ today: Buffer.alloc(32, n), yesterday: Buffer.alloc(32, n - 1) });
const NOW = Date.parse('2026-11-25T12:00:00Z');

describe('a visitor', () => {
  it('is unique once in 24 hours, per campaign, address and agent', () => {
    const memory = new Memory(salts(2));
    const visit = (campaign: string, address: string, agent: string, at: number) =>
      memory.visit(campaign, address, agent, at, true).unique;
    expect(visit('c', '1.1.1.1', 'a', NOW)).toBe(true);
    expect(visit('c', '1.1.1.1', 'a', NOW + WINDOW_MS - 1)).toBe(false);
    expect(visit('c', '1.1.1.1', 'a', NOW + WINDOW_MS)).toBe(true);
    expect(visit('d', '1.1.1.1', 'a', NOW)).toBe(true);
    expect(visit('c', '1.1.1.2', 'a', NOW)).toBe(true);
    expect(visit('c', '1.1.1.1', 'b', NOW)).toBe(true);
  });
  it('is still known when the salt changes at midnight, and no longer a day after', () => {
    const memory = new Memory(salts(2));
    memory.visit('c', '1.1.1.1', 'a', NOW, true);
    memory.setSalts(salts(3));
    expect(memory.visit('c', '1.1.1.1', 'a', NOW + 1000, true).unique).toBe(false);
    memory.setSalts(salts(4));
    expect(memory.visit('c', '1.1.1.1', 'a', NOW + 2000, true).unique).toBe(true);
  });
  it('that was warmed from before midnight is known by the salt of that day, and one of after it by the new one', () => {
    const [before, after] = [new Memory(salts(2)), new Memory(salts(3))];
    const { hash } = before.visit('c', '1.1.1.1', 'a', NOW, true);
    after.remember(hash, NOW, true);
    const today = new Memory(salts(3)).visit('c', '1.1.1.2', 'a', NOW, true).hash;
    after.remember(today, NOW, false);
    expect(after.visit('c', '1.1.1.1', 'a', NOW + WINDOW_MS - 1, true).unique).toBe(false);
    expect(after.visit('c', '1.1.1.2', 'a', NOW + WINDOW_MS - 1, true).unique).toBe(false);
    expect(after.visit('c', '1.1.1.3', 'a', NOW + WINDOW_MS - 1, true).unique).toBe(true);
  });
  it('that is not recorded leaves no mark', () => {
    const memory = new Memory(salts(2));
    expect(memory.visit('c', '1.1.1.1', 'a', NOW, false).unique).toBe(true);
    expect(memory.visit('c', '1.1.1.1', 'a', NOW, true).unique).toBe(true);
  });
  it('leaves a hash that tells neither address nor agent', () => {
    const { hash } = new Memory(salts(2)).visit('c', '1.1.1.1', 'agent', NOW, true);
    expect(hash).toMatch(/^[0-9a-f]{32}$/);
    expect(new Memory(salts(3)).visit('c', '1.1.1.1', 'agent', NOW, true).hash).not.toBe(hash);
  });
});

describe('a click ID of a source', () => {
  it('is a repeat within 24 hours, for that source alone', () => {
    const memory = new Memory(salts(2));
    expect(memory.isRepeat('s', 'x', NOW, true)).toBe(false);
    expect(memory.isRepeat('s', 'x', NOW + 1, true)).toBe(true);
    expect(memory.isRepeat('t', 'x', NOW + 1, true)).toBe(false);
    expect(memory.isRepeat('s', 'x', NOW + WINDOW_MS, true)).toBe(false);
  });
  it('is remembered over a restart', () => {
    const memory = new Memory(salts(2));
    memory.rememberClick('s', 'x', NOW);
    expect(memory.isRepeat('s', 'x', NOW + 5, true)).toBe(true);
  });
});
