/** Files of this machine, chosen for the browser to send. */
import { FileUpload } from "@chakra-ui/react";
import { Do } from "./buttons";

interface Props {
  /** What is chosen, for who cannot see it. */
  label: string;
  /** What is written on the button. */
  children: string;
  hint?: string;
  quiet?: boolean;
  accept?: string;
  many?: boolean;
  folder?: boolean;
  onFiles: (files: File[]) => void;
}

/** A button that has files chosen. What is not of the kind that is asked for is handed on too: who reads it says what is wrong with it. */
export function ChooseFiles({ label, children, hint, quiet, accept, many, folder, onFiles }: Props) {
  return (
    <FileUpload.Root
      w="auto"
      flexShrink={0}
      accept={accept}
      directory={folder}
      maxFiles={many || folder ? Number.POSITIVE_INFINITY : 1}
      allowDrop={false}
      preventDocumentDrop={false}
    >
      <FileUpload.Context>
        {(upload) => (
          <FileUpload.HiddenInput
            aria-label={label}
            onChange={(event) => {
              const chosen = [...(event.currentTarget.files ?? [])];
              upload.clearFiles();
              if (chosen.length) onFiles(chosen);
            }}
          />
        )}
      </FileUpload.Context>
      <FileUpload.Trigger asChild>
        <Do quiet={quiet} hint={hint}>
          {children}
        </Do>
      </FileUpload.Trigger>
    </FileUpload.Root>
  );
}
