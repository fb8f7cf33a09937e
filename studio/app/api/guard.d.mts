interface Asked {
  readonly method: string;
  readonly url: string;
  readonly header: (name: string) => string | string[] | undefined;
}
interface Server {
  readonly host: string;
  readonly port: number;
}
export function ownHosts(server: Server): Set<string>;
export function refusal(request: Asked, server: Server): { status: number; message: string } | undefined;
