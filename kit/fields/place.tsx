import { coordinatesOf, readPlace } from "../formula/coordinates.ts";
import { type Field, type FieldOptions, type FieldType, readBy, says, typedText } from "./field.ts";
import { textType } from "./text.ts";

/** A place on the earth, kept as latitude and longitude: `41.3879,2.1699`. */
export function place({ label, start }: FieldOptions<string>): Field<string> {
  const schema = () =>
    typedText()
      .transform((typed) => readPlace(typed) ?? "")
      .refine(
        (read) => read !== "",
        says((messages) => messages.coordinates),
      );
  return {
    kind: "place",
    label,
    required: true,
    ...(start !== undefined && { start: () => start }),
    attributes: () => ({ required: true }),
    read: readBy({ schema }, placeType.blank),
    write: (value) => value.replace(",", ", "),
  };
}

export const placeType: FieldType = {
  ...textType,
  searched: false,
  sortable: false,
  leads: false,
  show: (value) => <PlaceLink value={value as string | null} />,
};

/** A place that opens the map of the device. */
function PlaceLink({ value }: { value: string | null }) {
  const at = coordinatesOf(value);
  if (!at) return null;
  const { latitude, longitude } = at;
  return <a href={`geo:${latitude},${longitude}`}>{`${latitude}, ${longitude}`}</a>;
}
