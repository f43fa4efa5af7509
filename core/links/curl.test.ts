import { expect, it } from '@jest/globals';
import { execFileSync } from 'node:child_process';
import { curlText } from './index.ts';

it('gives a shell exactly the request that came, whatever stands in it', () => {
  const url = "https://t.example/in/k1?a=it's&b=$(x)`y`&c={ref}[1]";
  const body = '{"x":"\'; rm"}';
  const command = curlText({ method: 'POST', url, body, contentType: 'application/json' });
  const shown = execFileSync('sh', ['-c', `printf '%s\\0' ${command}`])
    .toString()
    .split('\0')
    .slice(0, -1);
  const options = ['-X', 'POST', '-H', 'Content-Type: application/json', '--data-raw', body];
  expect(shown).toEqual(['curl', '--globoff', ...options, url]);
  const plain = curlText({ method: 'GET', url: 'https://t.example/', body: '', contentType: '' });
  expect(plain).toBe("curl --globoff 'https://t.example/'");
});
