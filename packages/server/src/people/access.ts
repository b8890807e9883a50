/** Who must have a second factor: nobody, who runs everything, or everybody. */
export const secondFactorRules = ['own-choice', 'runs', 'everybody'] as const;
export type SecondFactorRule = (typeof secondFactorRules)[number];

/** How the workspace is reached, and whether whoever reaches it must sign in. */
export interface Access {
  /** Nothing is shown to who has not signed in. */
  signIn: boolean;
  /** Names and addresses that it goes by beside this machine's own, without ports. */
  hosts: readonly string[];
  /** It is reached by TLS: cookies are sent by nothing else. */
  secure: boolean;
  /** Proxies in front of it that are believed who asks through them, as Express takes them. */
  trustedProxies: readonly string[];
  /** Of whom a code is asked beside the password, whether they set it up by themselves or not. */
  secondFactor: SecondFactorRule;
  /** After so many minutes without use a browser is signed out; null for only when its time is over. */
  idleMinutes: number | null;
  /** How its address begins, for links that are handed to people; null where none are. */
  address: string | null;
}

/** Reached by this machine alone, where the operating system says who may. */
export const onThisMachine: Access = {
  signIn: false,
  hosts: [],
  secure: false,
  trustedProxies: [],
  secondFactor: 'own-choice',
  idleMinutes: null,
  address: null,
};
