import fc from 'fast-check';

// A run that is repeated tries the same cases, so that what fails fails again; MIVVY_SEED=random tries others.
const { MIVVY_SEED: wanted = '20261125' } = process.env;
if (wanted !== 'random') fc.configureGlobal({ seed: Number(wanted) });
