import { ElMessageBox } from 'element-plus';

/** Asks for a text; undefined when nothing was typed or the question was closed. */
export async function asked(question: string, title: string, value: string, act: string): Promise<string | undefined> {
  const answer = await ElMessageBox.prompt(question, title, {
    inputValue: value,
    confirmButtonText: act,
    cancelButtonText: 'Leave as it is',
  }).catch(() => undefined);
  return answer?.value.trim() || undefined;
}
