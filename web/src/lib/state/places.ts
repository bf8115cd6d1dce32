// Where a service can be opened in an environment.
/** A template with a service and a version in it. */
export function addressOf(template: string, service: string, version: string): string {
	return template.replaceAll('{service}', encodeURIComponent(service)).replaceAll('{version}', encodeURIComponent(version));
}
