import { AppError } from '../core/errors.ts';

/** An error as one thread or process tells another. */
export interface SentError {
  code: string;
  message: string;
  stack?: string;
}

/** What failed in words that can be sent. */
export function toSend(error: unknown): SentError {
  const { message, stack } = error instanceof Error ? error : new Error(String(error));
  const code = error instanceof AppError ? error.code : ((error as { code?: string }).code ?? 'engine_failed');
  return { code, message, stack };
}

/** The same again, where it arrives. */
export const received = ({ code, message, stack }: SentError): AppError => new AppError(code, message, { stack });
