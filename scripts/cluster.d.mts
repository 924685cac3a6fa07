export interface Cluster {
  url: string;
  dir: string;
  port: number;
  /** is its server process there? */
  alive(): boolean;
  /** on the port it had, after it ended by itself */
  startAgain(): Promise<void>;
  stop(): void;
}
export function freePort(): Promise<number>;
export function startCluster(dir: string, options?: { throwaway?: boolean; connections?: number }): Promise<Cluster>;
