/** Id of the session that comes with the app, made up to try things on. */
export const DEMO_ID = "harbour-lamps";
