import { feature } from "topojson-client";
import type { GeometryCollection, Topology } from "topojson-specification";
import world from "world-atlas/countries-50m.json" with { type: "json" };

type Countries = Topology<{ countries: GeometryCollection }>;

/** The outlines of all countries, as shapes on the globe. */
const topology = world as unknown as Countries;
export const countries = feature(topology, topology.objects.countries);
