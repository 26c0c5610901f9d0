import { describe, expect, it } from 'vitest';
import { deviceName } from './place';

describe('a device in the list of sessions', () => {
  it.each([
    [
      'Mozilla/5.0 (iPad; CPU OS 17_5 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/17.5 Safari/604.1',
      'iPad, Safari',
    ],
    [
      'Mozilla/5.0 (Linux; Android 14; Tablet) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Safari/537.36',
      'Android tablet, Chrome',
    ],
    [
      'Mozilla/5.0 (Linux; Android 14) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Mobile Safari/537.36',
      'Android phone, Chrome',
    ],
    [
      'Mozilla/5.0 (Windows NT 10.0; Win64; x64; rv:140.0) Gecko/20100101 Firefox/140.0',
      'Windows computer, Firefox',
    ],
    [
      'Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Safari/537.36 Edg/140.0.0.0',
      'Windows computer, Edge',
    ],
    ['', 'a device'],
    ['<script>alert(1)</script>', 'a device'],
  ])('%s is called %s', (agent, name) => expect(deviceName(agent)).toBe(name));
});
