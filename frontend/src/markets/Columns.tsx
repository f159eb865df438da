import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { sendForColumns } from "@/api";
import { Loading, Picker, Trouble } from "@/ui";

const ROLES = ["time", "clock", "open", "high", "low", "close", "volume"];
const NEEDED = ["time", "open", "high", "low", "close"];

export type Roles = Record<string, string>;

interface Props {
  file: File;
  /** What was said before; null where it is to be as it is recognised. */
  roles: Roles | null;
  onRead: (roles: Roles) => void;
}

/** A file's columns as they are written: a press on a head says what the column is. */
export function Columns({ file, roles, onRead }: Props) {
  const columns = useQuery({
    queryKey: ["columns", file.name, file.size, file.lastModified],
    queryFn: () => sendForColumns(file),
    retry: false,
  });
  const [said, setSaid] = useState(roles);
  if (columns.error) return <Trouble error={columns.error.message} />;
  if (!columns.data) return <Loading what="Looking at its columns" />;
  const { names, rows } = columns.data;
  const now = said ?? columns.data.roles;
  const roleOf = (name: string) => ROLES.find((role) => now[role] === name) ?? "";
  const put = (name: string, role: string) => {
    const others = Object.entries(now).filter(([other, column]) => other !== role && column !== name);
    setSaid({ ...Object.fromEntries(others), ...(role ? { [role]: name } : {}) });
  };
  const missing = NEEDED.filter((role) => !now[role]);
  return (
    <section aria-label="Columns of the file" className="my-2 min-w-0 overflow-auto">
      <p className="text-soft">
        What each column is; a press on it changes that. A clock is the time of the day, apart.
      </p>
      <table className="num my-2 text-left">
        <thead>
          <tr>
            {names.map((name) => (
              <th key={name} scope="col" className="px-2 font-normal">
                <div className="font-sans text-soft">{name}</div>
                <Picker
                  label={`What ${name} is`}
                  value={roleOf(name)}
                  options={[
                    { value: "", label: "kept besides" },
                    ...ROLES.map((role) => ({ value: role, label: role })),
                  ]}
                  onChange={(role) => put(name, role)}
                />
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row, at) => (
            <tr key={at} className="border-t border-line">
              {row.map((cell, place) => (
                <td key={place} className="max-w-48 truncate px-2">
                  {cell}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <button
        type="button"
        className="plain-button"
        aria-disabled={missing.length > 0}
        onClick={() => missing.length === 0 && onRead({ clock: "", volume: "", ...now })}
      >
        Read it so
      </button>{" "}
      {missing.length > 0 && <span className="text-brass">No column is {missing.join(", ")} yet.</span>}
    </section>
  );
}
