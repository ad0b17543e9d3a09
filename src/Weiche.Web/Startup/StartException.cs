namespace Weiche.Web.Startup;

/// <summary>Weiche cannot start. The message is one clear line for the person who started it.</summary>
/// <param name="message">What is wrong and what to do.</param>
/// <param name="inner">What found it, or null.</param>
public sealed class StartException(string message, Exception? inner = null) : Exception(message, inner);
