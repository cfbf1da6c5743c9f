import { Button, Flex, Modal } from "antd";
import { useState } from "react";
import { useAims } from "../../api/conversions";
import { useEdit } from "../../api/edits";
import type { Aim, ComparedAim, Conversion } from "../../api/types";
import { PlainnessNote } from "../../parts/PlainnessNote";
import { useComplaint } from "../../parts/useComplaint";
import { VerdictMark } from "../../parts/VerdictMark";
import { percent } from "../../parts/words";

/** What the values were made for, how plain they are and what that costs; the other aims beside it. */
export function Aims({ conversion, project }: { conversion: Conversion; project: number }) {
  const [open, setOpen] = useState(false);
  const { aim, plainness, choice } = conversion;
  return (
    <Flex gap={8} align="center" wrap className="ruled aims">
      <span>
        <span className="faded">aim</span> <strong>{aim}</strong>
      </span>
      <PlainnessNote plainness={plainness} />
      {choice !== null && (
        <span className="small" title={choice.text}>
          {choice.title}
          {choice.costs && (
            <>
              , expected <strong>{choice.verdict}</strong> where the nearest values would be {choice.nearest}
            </>
          )}
        </span>
      )}
      {choice === null && aim === "plain" && plainness.unusual.length > 0 && (
        <span className="small faded">no usual values come near it, so the nearest stand</span>
      )}
      <Button size="small" className="end" onClick={() => setOpen(true)}>
        Compare aims
      </Button>
      {open && <AimsDialog conversion={conversion} project={project} close={() => setOpen(false)} />}
    </Flex>
  );
}

interface DialogProps {
  conversion: Conversion;
  project: number;
  close: () => void;
}

function AimsDialog({ conversion, project, close }: DialogProps) {
  const aims = useAims(conversion).data;
  const edit = useEdit(conversion, project);
  const complain = useComplaint();
  const take = (aim: Aim) => edit.mutate({ kind: "aim", aim }, { onSuccess: close, onError: complain });
  return (
    <Modal title={`${conversion.name} by each aim`} open footer={null} onCancel={close} width={920}>
      {aims === undefined ? (
        <p className="faded">Converting by every aim…</p>
      ) : (
        <table className="compared aims-compared">
          <thead>
            <tr className="ruled-strong">
              <th scope="col" />
              {aims.map((one) => (
                <th key={one.aim} scope="col" className="plain">
                  <strong>{one.aim}</strong>
                  <div className="faded small">{one.title}</div>
                  <Flex gap={6} align="center">
                    <VerdictMark verdict={one.expected.verdict} title={one.expected.text} />
                    <span className="faded small">expected</span>
                  </Flex>
                  <div className="small">
                    lobe error <span className="numbers">{percent(one.error)}</span>
                  </div>
                  <PlainnessNote plainness={one.plainness} />
                  <div>
                    {one.aim === conversion.aim ? (
                      <span className="faded small">in use</span>
                    ) : (
                      <Button size="small" loading={edit.isPending} onClick={() => take(one.aim)}>
                        Take these values
                      </Button>
                    )}
                  </div>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {namesOf(aims).map((name) => (
              <tr key={name} className="ruled">
                <th scope="row" className="plain small faded">
                  {name}
                </th>
                {aims.map((one) => (
                  <td key={one.aim} className="numbers small">
                    {shownOf(one, name)}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <p className="small faded">
        What is expected is worked out without pictures, under this project’s rigs; the look check judges what you take.
        Values that were set over derived ones are left out here, and stay.
      </p>
    </Modal>
  );
}

function namesOf(aims: ComparedAim[]): string[] {
  return [...new Set(aims.flatMap(({ values }) => values.map(({ name }) => name)))];
}

function shownOf(one: ComparedAim, name: string): string {
  return one.values.find((value) => value.name === name)?.shown ?? "–";
}
