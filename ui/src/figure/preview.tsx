// How the figure looks in grey print and to readers who see colours differently; and what cannot be told apart.
export type Vision = "colour" | "grey" | "no-red" | "no-green" | "no-blue";

export const VISIONS: Record<Vision, string> = {
  colour: "in colour",
  grey: "in grey print",
  "no-red": "without red cones",
  "no-green": "without green cones",
  "no-blue": "without blue cones",
};

/** Of linear RGB (Machado, Oliveira & Fernandes, 2009); grey by luminance. */
const MATRICES: Partial<Record<Vision, string>> = {
  grey: "0.2126 0.7152 0.0722 0 0 0.2126 0.7152 0.0722 0 0 0.2126 0.7152 0.0722 0 0 0 0 0 1 0",
  "no-red": "0.152286 1.052583 -0.204868 0 0 0.114503 0.786281 0.099216 0 0 -0.003882 -0.048116 1.051998 0 0 0 0 0 1 0",
  "no-green": "0.367322 0.860646 -0.227968 0 0 0.280085 0.672501 0.047413 0 0 -0.01182 0.04294 0.968881 0 0 0 0 0 1 0",
  "no-blue": "1.255528 -0.076749 -0.178779 0 0 -0.078411 0.930809 0.147602 0 0 0.004733 0.691367 0.3039 0 0 0 0 0 1 0",
};

export function visionFilter(vision: Vision): string | undefined {
  return vision === "colour" ? undefined : `url(#see-${vision})`;
}

export function VisionFilters() {
  return (
    <svg width="0" height="0" className="absolute" aria-hidden="true">
      {Object.entries(MATRICES).map(([id, values]) => (
        <filter key={id} id={`see-${id}`} colorInterpolationFilters="linearRGB">
          <feColorMatrix type="matrix" values={values} />
        </filter>
      ))}
    </svg>
  );
}
