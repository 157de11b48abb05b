/** Does something with the server; what it refuses is kept, field by field. */

import { useState } from 'react';
import { Refused } from '../api/client';

export function useAct() {
  const [wrong, setWrong] = useState('');
  const [fields, setFields] = useState<Record<string, string>>({});
  const [busy, setBusy] = useState(false);
  const act = async (what: () => Promise<unknown>): Promise<boolean> => {
    setWrong('');
    setFields({});
    setBusy(true);
    try {
      await what();
      return true;
    } catch (error) {
      if (!(error instanceof Refused)) throw error;
      setWrong(error.message);
      setFields(Object.fromEntries(error.problem.errors.map((e) => [e.field, e.message])));
      return false;
    } finally {
      setBusy(false);
    }
  };
  return { act, wrong, fields, busy };
}
