import { api } from '../api';
import { refuse, tell } from '../frame/settings';
import { Line, Link, Quiet } from './basics';

interface Props {
  /** Address of the job's files, without the file. */
  at: string;
  words: string;
  files: readonly { file: string; words: string }[];
}

/** Files in open formats to take along. */
export function Take({ at, words, files }: Props) {
  const take = async (file: string) => {
    try {
      tell('done', `Taken: ${await api.take('GET', `${at}/${file}`)}`);
    } catch (e) {
      refuse(e);
    }
  };
  return (
    <Line style={{ marginTop: 8, rowGap: 10 }}>
      <Quiet>{words}</Quiet>
      {files.map((f) => (
        <Link key={f.file} onPress={() => void take(f.file)}>
          {f.words}
        </Link>
      ))}
    </Line>
  );
}
