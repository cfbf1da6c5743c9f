import { Button, Upload } from "antd";
import { useHandInSurroundings } from "../../api/surroundings";
import { useComplaint } from "../../parts/useComplaint";

interface Props {
  project: number;
  accept: string;
  label: string;
  /** Takes the id of the rig or stand that the file is. */
  take: (id: string) => void;
}

/** Own surroundings or an own mesh, uploaded where one chooses among those that are there. */
export function HandIn({ project, accept, label, take }: Props) {
  const handIn = useHandInSurroundings(project);
  const complain = useComplaint();
  return (
    <Upload
      accept={accept}
      showUploadList={false}
      beforeUpload={(file) => {
        handIn.mutate(file, { onSuccess: (made) => take(made.id), onError: complain });
        return false;
      }}
    >
      <Button size="small" type="text" loading={handIn.isPending}>
        {label}
      </Button>
    </Upload>
  );
}
