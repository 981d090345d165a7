// What pages can do with documents, for editors and checkers of scripts. See
// docs/on-the-page.md.

/** Where it is gone (RFC 8118): a page number, or "page=3", "zoom=120", "search=tide". */
export type Place = number | string;

/** Why a document does not show. */
export type Reason = 'address' | 'not-found' | 'website' | 'token' | 'token-ended' | 'record' | 'host-away' | 'page' | 'closed';

export interface ReadyDetail { pages?: number; name?: string; key?: string }
export interface PageDetail { page: number; of: number; label: string; key?: string }
export interface ChosenDetail { key: string; title: string }
export interface TokenDetail { seconds: number; key?: string }
export interface ErrorDetail { reason: Reason; page?: number; key?: string }

export interface IncipitPlacement extends HTMLElement {
  /** The page that is read, from 1; 0 before there is one. */
  readonly page: number;
  /** How many pages there are; 0 before that is known. */
  readonly count: number;
  /** What it is called to assistive technology. */
  readonly name: string;
  start(): void;
  open(of: string, at?: string, token?: string): void;
  openRecord(record: string, at?: string, token?: string): void;
  over(of: string, at?: string, token?: string): boolean;
  renew(token: string): void;
  go(place: Place): void;
  find(words: string): void;
  zoom(percent: number): void;
}

export interface IncipitPlacementConstructor {
  new (): IncipitPlacement;
  /** Opens a document over the page; false where the address is none of ours. */
  over(of: string, at?: string, token?: string, title?: string): boolean;
  /** Whether a record has a document that this website may show. */
  has(record: string, host?: string): Promise<boolean>;
}

declare global {
  interface HTMLElementTagNameMap { 'incipit-placement': IncipitPlacement }
  interface DocumentEventMap {
    'incipit-ready': CustomEvent<ReadyDetail>;
    'incipit-page': CustomEvent<PageDetail>;
    'incipit-end': CustomEvent<PageDetail>;
    'incipit-download': CustomEvent<{ key?: string }>;
    'incipit-chosen': CustomEvent<ChosenDetail>;
    'incipit-token': CustomEvent<TokenDetail>;
    'incipit-error': CustomEvent<ErrorDetail>;
  }
}
