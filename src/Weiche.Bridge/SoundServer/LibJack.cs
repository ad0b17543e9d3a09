using System.Reflection;
using System.Runtime.InteropServices;

namespace Weiche.Bridge.SoundServer;

/// <summary>The calls of the JACK API that are needed (jack/jack.h, jack/midiport.h), out of the system's own library.</summary>
internal static unsafe partial class LibJack
{
    private const string Library = "jack";

    /// <summary>The type of ports that carry MIDI.</summary>
    internal const string MidiType = "8 bit raw midi";

    internal const int NoStartServer = 1;

    // JackPortFlags.
    internal const nuint IsInput = 1;
    internal const nuint IsOutput = 2;
    internal const nuint IsPhysical = 4;

    /// <summary>The handle of a client that is let go of by itself.</summary>
    internal sealed class Client : SafeHandle
    {
        public Client()
            : base(0, ownsHandle: true) { }

        public override bool IsInvalid => handle == 0;

        protected override bool ReleaseHandle() => LibJack.Leave(handle) == 0;
    }

    [StructLayout(LayoutKind.Sequential)]
    internal struct MidiEvent
    {
        public uint Time;
        public nuint Size;
        public byte* Bytes;
    }

    /// <summary>Whether the library is there and has all that is called.</summary>
    internal static bool TryLoad()
    {
        if (!NativeLibrary.TryLoad("libjack.so.0", out var library))
            return false;
        string[] needed =
        [
            "jack_client_open",
            "jack_client_close",
            "jack_activate",
            "jack_set_process_callback",
            "jack_on_info_shutdown",
            "jack_port_register",
            "jack_port_unregister",
            "jack_port_rename",
            "jack_port_get_buffer",
            "jack_midi_get_event_count",
            "jack_midi_event_get",
            "jack_midi_clear_buffer",
            "jack_midi_event_write",
            "jack_get_ports",
            "jack_port_get_all_connections",
            "jack_connect",
            "jack_disconnect",
            "jack_free",
            "jack_port_by_name",
            "jack_port_flags",
            "jack_get_cycle_times",
            "jack_get_time",
            "jack_get_sample_rate",
            "jack_set_port_connect_callback",
            "jack_set_port_registration_callback",
            "jack_set_graph_order_callback",
            "jack_set_error_function",
            "jack_set_info_function",
            "jack_get_client_name",
            "jack_port_get_aliases",
            "jack_set_xrun_callback",
        ];
        if (Array.Exists(needed, name => !NativeLibrary.TryGetExport(library, name, out _)))
            return false;
        NativeLibrary.SetDllImportResolver(Assembly.GetExecutingAssembly(), (name, _, _) => name == Library ? library : 0);
        return true;
    }

    [LibraryImport(Library, EntryPoint = "jack_client_open", StringMarshalling = StringMarshalling.Utf8)]
    internal static partial Client Open(string name, int options, out int status);

    [LibraryImport(Library, EntryPoint = "jack_client_close")]
    private static partial int Leave(nint client);

    [LibraryImport(Library, EntryPoint = "jack_activate")]
    internal static partial int Activate(Client client);

    [LibraryImport(Library, EntryPoint = "jack_get_client_name")]
    internal static partial byte* NameOf(Client client);

    [LibraryImport(Library, EntryPoint = "jack_get_sample_rate")]
    internal static partial uint SampleRate(Client client);

    [LibraryImport(Library, EntryPoint = "jack_get_time")]
    internal static partial ulong Time();

    [LibraryImport(Library, EntryPoint = "jack_set_process_callback")]
    internal static partial int SetProcess(Client client, delegate* unmanaged<uint, nint, int> callback, nint argument);

    [LibraryImport(Library, EntryPoint = "jack_on_info_shutdown")]
    internal static partial void OnShutdown(Client client, delegate* unmanaged<int, byte*, nint, void> callback, nint argument);

    [LibraryImport(Library, EntryPoint = "jack_set_port_connect_callback")]
    internal static partial int SetConnected(Client client, delegate* unmanaged<uint, uint, int, nint, void> callback, nint argument);

    [LibraryImport(Library, EntryPoint = "jack_set_port_registration_callback")]
    internal static partial int SetRegistered(Client client, delegate* unmanaged<uint, int, nint, void> callback, nint argument);

    [LibraryImport(Library, EntryPoint = "jack_set_graph_order_callback")]
    internal static partial int SetOrdered(Client client, delegate* unmanaged<nint, int> callback, nint argument);

    [LibraryImport(Library, EntryPoint = "jack_set_xrun_callback")]
    internal static partial int SetLate(Client client, delegate* unmanaged<nint, int> callback, nint argument);

    [LibraryImport(Library, EntryPoint = "jack_set_error_function")]
    internal static partial void SetError(delegate* unmanaged<byte*, void> callback);

    [LibraryImport(Library, EntryPoint = "jack_set_info_function")]
    internal static partial void SetInfo(delegate* unmanaged<byte*, void> callback);

    [LibraryImport(Library, EntryPoint = "jack_port_register", StringMarshalling = StringMarshalling.Utf8)]
    internal static partial nint Register(Client client, string name, string type, nuint flags, nuint bufferSize);

    [LibraryImport(Library, EntryPoint = "jack_port_unregister")]
    internal static partial int Unregister(Client client, nint port);

    [LibraryImport(Library, EntryPoint = "jack_port_rename", StringMarshalling = StringMarshalling.Utf8)]
    internal static partial int Rename(Client client, nint port, string name);

    [LibraryImport(Library, EntryPoint = "jack_get_ports", StringMarshalling = StringMarshalling.Utf8)]
    internal static partial byte** Ports(Client client, string? namePattern, string? typePattern, nuint flags);

    [LibraryImport(Library, EntryPoint = "jack_port_by_name")]
    internal static partial nint Find(Client client, byte* name);

    [LibraryImport(Library, EntryPoint = "jack_port_flags")]
    internal static partial int FlagsOf(nint port);

    [LibraryImport(Library, EntryPoint = "jack_port_get_aliases")]
    internal static partial int AliasesOf(nint port, byte** aliases);

    [LibraryImport(Library, EntryPoint = "jack_port_get_all_connections")]
    internal static partial byte** ConnectionsOf(Client client, nint port);

    [LibraryImport(Library, EntryPoint = "jack_connect")]
    internal static partial int Connect(Client client, byte* from, byte* to);

    [LibraryImport(Library, EntryPoint = "jack_disconnect")]
    internal static partial int Disconnect(Client client, byte* from, byte* to);

    [LibraryImport(Library, EntryPoint = "jack_free")]
    internal static partial void Free(void* memory);

    // What the callback calls. The library may call back what errors are told to, so the runtime must know that it is left.
    [LibraryImport(Library, EntryPoint = "jack_port_get_buffer")]
    internal static partial void* Buffer(nint port, uint frames);

    [LibraryImport(Library, EntryPoint = "jack_midi_get_event_count")]
    internal static partial uint Count(void* buffer);

    [LibraryImport(Library, EntryPoint = "jack_midi_event_get")]
    internal static partial int Get(MidiEvent* into, void* buffer, uint index);

    [LibraryImport(Library, EntryPoint = "jack_midi_clear_buffer")]
    internal static partial void Clear(void* buffer);

    [LibraryImport(Library, EntryPoint = "jack_midi_event_write")]
    internal static partial int Write(void* buffer, uint time, byte* bytes, nuint size);

    [LibraryImport(Library, EntryPoint = "jack_get_cycle_times")]
    internal static partial int CycleTimes(nint client, uint* frames, ulong* now, ulong* next, float* period);
}
