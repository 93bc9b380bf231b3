import type { FieldProps } from "./field-frame.tsx";
import { InputField } from "./input-field.tsx";

/** A line for tags, which are offered while they are typed. */
export function TagsInput({ form, name, hint, placeholder }: FieldProps) {
  const { scope, entity } = form;
  return (
    <div data-tags={`${encodeURI(entity.path)}/tags/${name}`}>
      <InputField
        form={form}
        name={name}
        hint={[hint, scope.messages.tags.between].filter(Boolean).join(" · ")}
        placeholder={placeholder}
      />
    </div>
  );
}
