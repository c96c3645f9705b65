import "./form.css";
import { bring } from "./form";

bring(document);
