/** The parts of a Shapefile are several files; dropped together they are sent as one archive. */
import { zip } from "fflate";

const PARTS = [".shp", ".shx", ".dbf", ".prj", ".cpg", ".qix", ".sbn", ".sbx"];

const split = (name: string): [string, string] => {
  const dot = name.lastIndexOf(".");
  return dot < 0 ? [name, ""] : [name.slice(0, dot), name.slice(dot).toLowerCase()];
};

/** The files, with those of each Shapefile as one zip archive in their place. */
export async function together(files: File[]): Promise<File[]> {
  const stems = new Set(files.map(({ name }) => split(name)).filter(([, ending]) => ending === ".shp").map(([stem]) => stem));
  const isPart = ({ name }: File) => stems.has(split(name)[0]) && PARTS.includes(split(name)[1]);
  const archives = await Promise.all([...stems].map((stem) => archive(`${stem}.zip`, files.filter((file) => isPart(file) && split(file.name)[0] === stem))));
  return [...files.filter((file) => !isPart(file)), ...archives];
}

async function archive(name: string, parts: File[]): Promise<File> {
  const contents = await Promise.all(parts.map(async (part): Promise<[string, Uint8Array]> => [part.name, new Uint8Array(await part.arrayBuffer())]));
  return new Promise((resolve, reject) => {
    zip(Object.fromEntries(contents), { level: 1 }, (error, data) => (error ? reject(error) : resolve(new File([data], name))));
  });
}
