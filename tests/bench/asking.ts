/** What a thread of clients is to do. */
export interface Asking {
  /** The addresses of each search, asked for together. */
  searches: string[][];
  clients: number;
  seconds: number;
}

export interface Answered {
  /** How long each search took, in seconds. */
  times: number[];
  /** How long all of them took together. */
  seconds: number;
}
