import { expect, test } from '@playwright/test';

test('one', () => expect(1).toBe(1));
test('two', () => expect(2).toBe(2));
